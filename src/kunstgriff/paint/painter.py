"""The server's painter: a frame's draw list to pixels, through OpenGL without a window (EGL).

Pictures are padded with transparent pixels to whole blocks of eight, so that mipmaps are exact and nothing smears at
the edges; `static/bench/stage.js` does the same with the same shaders.
"""

from __future__ import annotations

import math
from collections import OrderedDict
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import moderngl
import numpy as np
from numba import njit
from numpy.typing import NDArray

from kunstgriff.artwork.blending import MODES
from kunstgriff.evaluate.frame import Frame
from kunstgriff.evaluate.items import DrawItem, Mask
from kunstgriff.evaluate.state import RigState
from kunstgriff.figure.model import Figure
from kunstgriff.figure.refusal import Refusal
from kunstgriff.figure.stores import Stores

SHADERS = Path(__file__).parent / "shaders"
PAD = 8  # px; mipmap levels 0 to 3 keep a transparent texel at every edge
DETAIL_LIMIT = 3
PICTURE, BARE, MASK, LAYER, BELOW = range(5)  # texture units; those of the parts' shader first
ALL = 0  # the veil of the masks that are painted together
LAY = moderngl.ONE, moderngl.ONE_MINUS_SRC_ALPHA  # source over, premultiplied
TAKE = moderngl.ZERO, moderngl.ONE_MINUS_SRC_ALPHA  # destination out
TEXTURE_BUDGET = 1024 * 1024 * 1024  # bytes kept on the (software) GPU; the demo needs about 60 MB
SIDE_LIMIT = 8192


class PainterMissing(Refusal, RuntimeError):
    """No OpenGL can be had on this machine; the message says what to install."""

    code = "painter-missing"


@dataclass(frozen=True)
class View:
    """A window on figure space: `size` (w, h) px, `scale` px per figure px, `origin` figure point at the top left."""

    size: tuple[int, int]
    scale: float
    origin: tuple[float, float]


def sheet_view(figure: Figure, size: tuple[int, int] | None = None) -> View:
    """The whole sheet, at its own size, or fitted into `size` and centred."""
    sheet = figure.sheet
    width, height = size or (sheet.width, sheet.height)
    scale = min(width / sheet.width, height / sheet.height)
    left = -sheet.standing_point[0] - (width / scale - sheet.width) / 2
    top = -sheet.standing_point[1] - (height / scale - sheet.height) / 2
    return View((width, height), scale, (left, top))


@dataclass(frozen=True)
class _Scene:
    """What is being painted, and through what.

    `veiled` are the items whose masks are painted already, by their ids: how far in px their place among the veils lies
    from their own.
    """

    rig: RigState
    frame: Frame
    view: View
    arrays: tuple[Any, Any]
    stores: Stores
    veiled: dict[str, tuple[int, int]] = field(default_factory=dict)

    def masks_on(self, item: DrawItem) -> list[tuple[Mask, float]]:
        """The masks that take effect now, those that keep an item inside first, and how far each is on."""
        on = [(mask, share) for mask in item.masks if (share := self.frame.share(mask.switches)) > 0]
        return sorted(on, key=lambda entry: entry[0].out)

    def box(self, item: DrawItem) -> tuple[int, int, int, int]:
        """The pixels an item may touch: left, first row, width, height, inside the view."""
        block = self.rig.program.blocks[item.block]
        spots = self.frame.vertices[block.start : block.start + block.count]
        low = np.floor((spots.min(0) - self.view.origin) * self.view.scale).astype(int) - 1
        high = np.ceil((spots.max(0) - self.view.origin) * self.view.scale).astype(int) + 1
        left, top = np.clip(low, 0, self.view.size)
        right, bottom = np.clip(high, 0, self.view.size)
        return int(left), int(top), int(max(right - left, 0)), int(max(bottom - top, 0))


@dataclass
class _Texture:
    """A picture on the graphics side: its own (w, h), its bytes."""

    texture: Any
    size: tuple[int, int]
    cost: int


class Painter:
    """Paints frames. One per thread: an OpenGL context belongs to the thread that made it."""

    def __init__(self) -> None:
        try:
            self.context = moderngl.create_context(standalone=True, backend="egl", require=300)  # type: ignore[arg-type]
        except Exception as error:
            raise PainterMissing("Pictures cannot be painted: install Debian's libegl1 and libgl1-mesa-dri.") from error
        self.program = self._program("part.vert", "part.frag")
        self.masked = self._program("part.vert", "part.frag", "#define MASKED")
        self.laying = self._program("whole.vert", "composite.frag")
        self.laying["u_layer"], self.laying["u_below"] = LAYER, BELOW
        self.veiling = self._program("whole.vert", "veil.frag")
        self.veiling["u_shape"] = LAYER
        self.whole = self.context.vertex_array(self.laying, [])
        self.veil = self.context.vertex_array(self.veiling, [])
        self.masked["u_picture"], self.masked["u_bare"], self.masked["u_mask"] = PICTURE, BARE, MASK
        self.details = [self._detail(level) for level in range(DETAIL_LIMIT + 1)]
        self.textures: OrderedDict[str, _Texture] = OrderedDict()
        self.held = 0
        self.target: tuple[tuple[int, int], list[Any]] | None = None
        self.veils: list[Any] = []
        self.meshes: tuple[RigState, Any, Any] | None = None
        self.limit = min(SIDE_LIMIT, int(self.context.info["GL_MAX_TEXTURE_SIZE"]))

    def paint(self, rig: RigState, frame: Frame, view: View, stores: Stores) -> NDArray[np.uint8]:
        """Straight-alpha pixels (h, w, 4) of a frame. Raises ValueError for a size beyond the machine's."""
        pixels = self.paint_premultiplied(rig, frame, view, stores)
        unmultiply(pixels)
        return pixels

    def paint_premultiplied(self, rig: RigState, frame: Frame, view: View, stores: Stores) -> NDArray[np.uint8]:
        """The same with colours still multiplied by alpha, as they stand in the framebuffer."""
        width, height = view.size
        if not (1 <= width <= self.limit and 1 <= height <= self.limit):
            raise ValueError(f"A picture of {width} x {height} px cannot be painted; {self.limit} a side is the limit.")
        self._layer(0, view.size)
        self.context.enable_only(moderngl.BLEND)
        vertices, arrays = self._mesh(rig)
        vertices.write(frame.vertices)
        x, y = 2 * view.scale / width, 2 * view.scale / height
        # row 0 of the framebuffer is read first, so y is not flipped here
        for program in (self.program, self.masked):
            program["u_view"] = (x, y, -view.origin[0] * x - 1, -view.origin[1] * y - 1)
        looks: dict[str, tuple[float, str]] = {
            group.id: (group.opacity * frame.faded.get(group.id, 1.0), group.blend)
            for group in rig.program.figure.groups
        }
        for unit in (PICTURE, BARE):
            self.details[detail_at(view.scale)].use(unit)
        scene = _Scene(rig, frame, view, arrays, stores)
        self._veil_all(scene)
        self._framebuffer(0, view.size).use()
        open_layers: list[str] = []
        for item in frame.items:
            if frame.opacity(item) <= 0:
                continue
            alone = item.blend != "normal"
            layers = frame.layers(item)
            wanted = [*layers, item.id] if alone else list(layers)
            while open_layers != wanted[: len(open_layers)]:
                self._lay(len(open_layers), *looks[open_layers.pop()], view.size)
            for layer in wanted[len(open_layers) :]:
                open_layers.append(layer)
                self._layer(len(open_layers), view.size)
            if alone:
                looks[item.id] = (1.0, item.blend)
            self._draw(item, scene, self._framebuffer(len(open_layers), view.size))
        while open_layers:
            self._lay(len(open_layers), *looks[open_layers.pop()], view.size)
        pixels = np.empty((height, width, 4), np.uint8)
        self._framebuffer(0, view.size).read_into(pixels, components=4)
        return pixels

    def _draw(
        self,
        item: DrawItem,
        scene: _Scene,
        onto: Any,
        depth: int = 0,
        blend: tuple[int, int] = LAY,
        share: float = 1.0,
        shift: tuple[int, int] = (0, 0),
    ) -> None:
        """Draw one item on a framebuffer by a `share`, shifted by some px; its masks are painted first, `depth` masks
        deep, unless they are among the veils."""
        frame, (width, height) = scene.frame, scene.view.size
        masks, veil, off = scene.masks_on(item), ALL, (0, 0)
        if masks and depth == 0 and item.id in scene.veiled:
            off = scene.veiled[item.id]
        elif masks:
            veil = 2 * depth + 1
            self._mask(item, masks, scene, depth)
            onto.use()
        if masks:
            self._veil(veil, scene.view.size).color_attachments[0].use(MASK)
        texture, (w, h) = self._texture(item.picture, scene)
        texture.use(PICTURE)
        if item.bare is not None:
            self._texture(item.bare, scene)[0].use(BARE)
        full_w, full_h = texture.size
        program = self.masked if masks else self.program
        program["u_shift"] = (2 * shift[0] / width, 2 * shift[1] / height)
        program["u_texture"] = (w / full_w, h / full_h, PAD / full_w, PAD / full_h)
        program["u_opacity"] = frame.opacity(item) * share
        program["u_tint"] = item.tint
        if masks:
            program["u_has_bare"] = item.bare is not None
            program["u_veil"] = off
        self.context.blend_func = blend
        scene.arrays[bool(masks)].render(moderngl.TRIANGLES, vertices=item.count, first=item.first)

    def _veil_all(self, scene: _Scene) -> None:
        """Paint the masks of as many items as find room in one veil, side by side; changing targets is what costs."""
        width, height = scene.view.size
        x = y = row = 0
        for item in scene.frame.items:
            masks = scene.masks_on(item)
            if not masks or scene.frame.opacity(item) <= 0 or not _go_together(masks):
                continue
            left, top, w, h = scene.box(item)
            if x + w > width:
                x, y, row = 0, y + row, 0
            if x + w <= width and y + h <= height:
                shift = x - left, y - top
                self._take(masks, scene, self._veil(ALL, scene.view.size), (x, y, w, h), 1, shift)
                scene.veiled[item.id] = shift
                x, row = x + w, max(row, h)
        if scene.veiled:
            self.context.finish()  # as in _lay

    def _mask(self, item: DrawItem, masks: list[tuple[Mask, float]], scene: _Scene, depth: int) -> None:
        """Paint what of an item its masks leave: of all of it as alpha, of its ink as red; only where the item is."""
        self._take(masks, scene, self._veil(2 * depth + 1, scene.view.size), scene.box(item), depth + 1)
        self.context.finish()

    def _take(
        self,
        masks: list[tuple[Mask, float]],
        scene: _Scene,
        left: Any,
        box: tuple[int, int, int, int],
        depth: int,
        shift: tuple[int, int] = (0, 0),
    ) -> None:
        """Paint into a box of the veil `left` what masks leave of an item: all of it at first; `depth` is that of their
        shapes."""
        left.scissor, left.color_mask = box, (True, True, True, True)
        left.clear(1.0, 1.0, 1.0, 1.0)
        for number, (mask, share) in enumerate(masks):
            left.color_mask = (True, False, False, False) if mask.ink_only else (False, False, False, True)
            left.use()
            if mask.out:  # taking one shape after the other away is taking away what they cover together
                for each_shape in mask.shapes:
                    self._draw(each_shape, scene, left, depth, TAKE, share, shift)
            elif number == 0 and share == 1:  # nothing is taken yet: what is inside is what is left
                left.clear(0.0, 0.0, 0.0, 0.0)
                for each_shape in mask.shapes:
                    self._draw(each_shape, scene, left, depth, shift=shift)
            else:
                shape = self._veil(2 * depth, scene.view.size)
                shape.scissor = box
                shape.use()
                shape.clear(0.0, 0.0, 0.0, 0.0)
                for each_shape in mask.shapes:
                    self._draw(each_shape, scene, shape, depth)
                self.context.finish()  # as in _lay
                left.use()
                shape.color_attachments[0].use(LAYER)
                self.veiling["u_share"] = share
                self.context.blend_func = moderngl.ZERO, moderngl.SRC_ALPHA
                self.veil.render(moderngl.TRIANGLES, vertices=3)

    def _veil(self, number: int, size: tuple[int, int]) -> Any:
        """Framebuffers for masks: one for those painted together, and two for each depth, what is left of an item and
        the shape being taken from it."""
        if self.veils and self.veils[0].size != size:
            for old in self.veils:
                for color_attachment in (*old.color_attachments, old):
                    color_attachment.release()
            self.veils = []
        while len(self.veils) <= number:
            self.veils.append(self.context.framebuffer([self.context.texture(size, 4)]))
        return self.veils[number]

    def _layer(self, depth: int, size: tuple[int, int]) -> None:
        """Begin an empty layer; what is drawn next goes there."""
        framebuffer = self._framebuffer(depth, size)
        framebuffer.use()
        framebuffer.clear(0.0, 0.0, 0.0, 0.0)

    def _lay(self, depth: int, opacity: float, blend: str, size: tuple[int, int]) -> None:
        """Lay the layer at `depth` on the one below it."""
        # Mesa's software renderer was seen to sample a layer before all its triangles were there: 1 picture in 100
        self.context.finish()
        below, spare = self._framebuffer(depth - 1, size), self._framebuffer(depth + 1, size)
        self.context.copy_framebuffer(spare, below)
        below.use()
        self._framebuffer(depth, size).color_attachments[0].use(LAYER)
        spare.color_attachments[0].use(BELOW)
        self.laying["u_opacity"] = opacity
        self.laying["u_mode"] = MODES.index(blend)
        self.context.disable(moderngl.BLEND)
        self.whole.render(moderngl.TRIANGLES, vertices=3)
        self.context.finish()
        self.context.enable(moderngl.BLEND)

    def _framebuffer(self, depth: int, size: tuple[int, int]) -> Any:
        if self.target is None or self.target[0] != size:
            for old in self.target[1] if self.target else ():
                for color_attachment in (*old.color_attachments, old):
                    color_attachment.release()
            self.target = (size, [])
        while len(self.target[1]) <= depth:
            self.target[1].append(self.context.framebuffer([self.context.texture(size, 4)]))
        return self.target[1][depth]

    def _program(self, vertex: str, fragment: str, define: str = "") -> Any:
        source = (SHADERS / fragment).read_text().replace("\n", f"\n{define}\n", 1)
        return self.context.program(vertex_shader=(SHADERS / vertex).read_text(), fragment_shader=source)

    def _mesh(self, rig: RigState) -> tuple[Any, tuple[Any, Any]]:
        """The buffer of vertices, and the triangles as the plain and the masked program take them."""
        if self.meshes is None or self.meshes[0] is not rig:
            vertices = self.context.buffer(reserve=max(rig.vertices.nbytes, 8), dynamic=True)
            uv = self.context.buffer(rig.program.nets.uv.tobytes() or bytes(8))
            indices = self.context.buffer(rig.program.indices.tobytes() or bytes(12))
            plain, masked = (
                self.context.vertex_array(
                    program, [(vertices, "2f", "a_position"), (uv, "2f", "a_uv")], index_buffer=indices
                )
                for program in (self.program, self.masked)
            )
            self.meshes = (rig, vertices, (plain, masked))
        return self.meshes[1], self.meshes[2]

    def _texture(self, digest: str, scene: _Scene) -> tuple[Any, tuple[int, int]]:
        """A picture's texture and the picture's (w, h)."""
        if digest not in self.textures:
            self._upload(digest, scene.stores)
        self.textures.move_to_end(digest)
        known = self.textures[digest]
        return known.texture, known.size

    def _detail(self, level: int) -> Any:
        """A way of looking at pictures: at one level of detail, nothing beyond their edges."""
        looks = (moderngl.LINEAR_MIPMAP_NEAREST, moderngl.LINEAR)
        detail = self.context.sampler(repeat_x=False, repeat_y=False, filter=looks)
        detail.min_lod = detail.max_lod = level
        return detail

    def _upload(self, digest: str, stores: Stores) -> None:
        padded, size = padded_premultiplied(stores.get_pixels(digest))
        texture = self.context.texture((padded.shape[1], padded.shape[0]), 4, padded.tobytes())
        texture.build_mipmaps(0, DETAIL_LIMIT)
        self.textures[digest] = _Texture(texture, size, padded.nbytes * 4 // 3)
        self.held += self.textures[digest].cost
        while self.held > TEXTURE_BUDGET and len(self.textures) > 1:
            _, old = self.textures.popitem(last=False)
            old.texture.release()
            self.held -= old.cost


def _go_together(masks: list[tuple[Mask, float]]) -> bool:
    """Whether masks can be painted without veils of their own: their shapes are whole, at most one keeps inside."""
    inside = [share for mask, share in masks if not mask.out]
    return inside in ([], [1.0]) and not any(shape.masks for mask, _ in masks for shape in mask.shapes)


def detail_at(scale: float) -> int:
    """Mipmap level for pictures shown at `scale`: one for each halving, never blurrier than needed.

    It is a whole one: 0.84 to 1.68 texels come to lie on a pixel, which linear filtering shows without gaps. Choosing
    and mixing levels takes software renderers half as long again (measured here).
    """
    return min(max(round(-math.log2(max(scale, 1e-6)) - 0.25), 0), DETAIL_LIMIT)


def padded_premultiplied(rgba: NDArray[np.uint8]) -> tuple[NDArray[np.uint8], tuple[int, int]]:
    """The picture multiplied by its alpha inside a transparent border of at least `PAD`, and its own (w, h)."""
    height, width = rgba.shape[:2]
    padded = np.zeros((-(-(height + 2 * PAD) // PAD) * PAD, -(-(width + 2 * PAD) // PAD) * PAD, 4), np.uint8)
    inner = padded[PAD : PAD + height, PAD : PAD + width]
    alpha = rgba[..., 3:].astype(np.uint16)
    inner[..., :3] = (rgba[..., :3] * alpha + 127) // 255
    inner[..., 3] = rgba[..., 3]
    return padded, (width, height)


@njit(cache=True)
def unmultiply(pixels: NDArray[np.uint8]) -> None:
    """Divide the colours of premultiplied pixels (h, w, 4) by their alpha, rounding, in place."""
    for row in range(pixels.shape[0]):
        for column in range(pixels.shape[1]):
            alpha = np.int32(pixels[row, column, 3])
            if alpha == 0 or alpha == 255:  # most pixels: nothing is there, or nothing shines through
                continue
            for channel in range(3):
                divided = (np.int32(pixels[row, column, channel]) * 255 + alpha // 2) // alpha
                pixels[row, column, channel] = divided if divided < 255 else 255


def as_seen(by: Painter, rig: RigState, frame: Frame, view: View, stores: Stores, mirrored: bool) -> NDArray[np.uint8]:
    """A frame painted as it is seen, straight alpha (h, w, 4): in a mirror at where the figure stands, or as it is."""
    if not mirrored:
        return by.paint(rig, frame, view, stores)
    (x, y), across = view.origin, view.size[0] / view.scale
    there = View(view.size, view.scale, (-x - across, y))
    return np.ascontiguousarray(by.paint(rig, frame, there, stores)[:, ::-1])


def laid_on(picture: NDArray[np.uint8], colour: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """A picture (h, w, 4) of straight alpha laid on a colour (3,), (h, w, 3)."""
    alpha = picture[..., 3:].astype(np.uint16)
    return ((picture[..., :3] * alpha + colour * (255 - alpha) + 127) // 255).astype(np.uint8)
