"""The server's painter: a frame's draw list to pixels, through OpenGL without a window (EGL).

Pictures are padded with transparent pixels to whole blocks of eight, so that mipmaps are exact and nothing smears at
the edges; `static/bench/stage.js` does the same with the same shaders.
"""

from __future__ import annotations

import math
from collections import OrderedDict
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import moderngl
import numpy as np
from numba import njit
from numpy.typing import NDArray

from kunstgriff.artwork.blending import MODES
from kunstgriff.evaluate.items import DrawItem, Mask
from kunstgriff.evaluate.rig import Frame, Rig
from kunstgriff.figure.model import Figure
from kunstgriff.figure.stores import Stores, decode_png

SHADERS = Path(__file__).parent / "shaders"
PAD = 8  # px; mipmap levels 0 to 3 keep a transparent texel at every edge
DETAIL_LIMIT = 3.0
LAY = moderngl.ONE, moderngl.ONE_MINUS_SRC_ALPHA  # source over, premultiplied
TAKE = moderngl.ZERO, moderngl.ONE_MINUS_SRC_ALPHA  # destination out
TEXTURE_BUDGET = 1024 * 1024 * 1024  # bytes kept on the (software) GPU; the demo needs about 60 MB
SIDE_LIMIT = 8192


class PainterMissing(RuntimeError):
    """No OpenGL can be had on this machine; the message says what to install."""


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
    """What is being painted, and through what."""

    rig: Rig
    frame: Frame
    view: View
    arrays: tuple[Any, Any]
    stores: Stores

    def box(self, item: DrawItem) -> tuple[int, int, int, int]:
        """The pixels an item may touch: left, first row, width, height, inside the view."""
        block = self.rig.blocks[item.block]
        spots = self.frame.vertices[block.start : block.start + block.count]
        low = np.floor((spots.min(0) - self.view.origin) * self.view.scale).astype(int) - 1
        high = np.ceil((spots.max(0) - self.view.origin) * self.view.scale).astype(int) + 1
        left, top = np.clip(low, 0, self.view.size)
        right, bottom = np.clip(high, 0, self.view.size)
        return int(left), int(top), int(max(right - left, 0)), int(max(bottom - top, 0))


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
        self.laying["u_layer"], self.laying["u_below"] = 0, 1
        self.veiling = self._program("whole.vert", "veil.frag")
        self.veiling["u_shape"] = 0
        self.whole = self.context.vertex_array(self.laying, [])
        self.veil = self.context.vertex_array(self.veiling, [])
        self.masked["u_picture"], self.masked["u_bare"], self.masked["u_mask"] = 0, 1, 2
        self.textures: OrderedDict[str, tuple[Any, tuple[int, int], int]] = OrderedDict()
        self.held = 0
        self.target: tuple[tuple[int, int], list[Any]] | None = None
        self.veils: list[Any] = []
        self.meshes: tuple[Rig, Any, Any] | None = None
        self.limit = min(SIDE_LIMIT, int(self.context.info["GL_MAX_TEXTURE_SIZE"]))

    def paint(self, rig: Rig, frame: Frame, view: View, stores: Stores) -> NDArray[np.uint8]:
        """Straight-alpha pixels (h, w, 4) of a frame. Raises ValueError for a size beyond the machine's."""
        premultiplied = self.paint_premultiplied(rig, frame, view, stores)
        straight = np.empty_like(premultiplied)
        unmultiply(premultiplied.reshape(-1, 4), straight.reshape(-1, 4))
        return straight

    def paint_premultiplied(self, rig: Rig, frame: Frame, view: View, stores: Stores) -> NDArray[np.uint8]:
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
            program["u_detail"] = detail_at(view.scale)
        looks: dict[str, tuple[float, str]] = {group.id: (group.opacity, group.blend) for group in rig.figure.groups}
        scene = _Scene(rig, frame, view, arrays, stores)
        open_layers: list[str] = []
        for item in frame.items:
            if frame.opacity(item) <= 0:
                continue
            alone = item.blend != "normal"
            wanted = [*item.layers, item.id] if alone else list(item.layers)
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
        self, item: DrawItem, scene: _Scene, onto: Any, depth: int = 0, blend: tuple[int, int] = LAY, share: float = 1.0
    ) -> None:
        """Draw one item on a framebuffer by a `share`; its masks are painted first, `depth` masks deep."""
        frame = scene.frame
        masks = [(mask, on) for mask in item.masks if (on := frame.share(mask.switches)) > 0]
        if masks:
            self._mask(item, masks, scene, depth)
            onto.use()
            self._veil(2 * depth, scene.view.size).color_attachments[0].use(2)
        texture, (w, h) = self._texture(item.picture, scene.stores)
        texture.use(0)
        if item.bare is not None:
            self._texture(item.bare, scene.stores)[0].use(1)
        full_w, full_h = texture.size
        program = self.masked if masks else self.program
        program["u_texture"] = (w / full_w, h / full_h, PAD / full_w, PAD / full_h)
        program["u_opacity"] = frame.opacity(item) * share
        program["u_tint"] = item.tint
        if masks:
            program["u_has_bare"] = item.bare is not None
        self.context.blend_func = blend
        scene.arrays[bool(masks)].render(moderngl.TRIANGLES, vertices=item.count, first=item.first)

    def _mask(self, item: DrawItem, masks: list[tuple[Mask, float]], scene: _Scene, depth: int) -> None:
        """Paint what of an item its masks leave: of all of it as alpha, of its ink as red; only where the item is."""
        left = self._veil(2 * depth, scene.view.size)
        shape = self._veil(2 * depth + 1, scene.view.size)
        box = scene.box(item)
        left.scissor = shape.scissor = box
        left.color_mask = True, True, True, True
        left.clear(1.0, 1.0, 1.0, 1.0)
        for mask, share in masks:
            left.color_mask = (True, False, False, False) if mask.ink_only else (False, False, False, True)
            if mask.out:  # taking one shape after the other away is taking away what they cover together
                left.use()
                for one in mask.shapes:
                    self._draw(one, scene, left, depth + 1, TAKE, share)
                continue
            shape.use()
            shape.clear(0.0, 0.0, 0.0, 0.0)
            for one in mask.shapes:
                self._draw(one, scene, shape, depth + 1)
            self.context.finish()  # as in _lay
            left.use()
            shape.color_attachments[0].use(0)
            self.veiling["u_share"] = share
            self.context.blend_func = moderngl.ZERO, moderngl.SRC_ALPHA
            self.veil.render(moderngl.TRIANGLES, vertices=3)
        self.context.finish()

    def _veil(self, number: int, size: tuple[int, int]) -> Any:
        """Framebuffers for masks: two for each depth, what is left of an item and the shape being taken from it."""
        if self.veils and self.veils[0].size != size:
            for old in self.veils:
                for one in (*old.color_attachments, old):
                    one.release()
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
        self._framebuffer(depth, size).color_attachments[0].use(0)
        spare.color_attachments[0].use(1)
        self.laying["u_opacity"] = opacity
        self.laying["u_mode"] = MODES.index(blend)
        self.context.disable(moderngl.BLEND)
        self.whole.render(moderngl.TRIANGLES, vertices=3)
        self.context.finish()
        self.context.enable(moderngl.BLEND)

    def _framebuffer(self, depth: int, size: tuple[int, int]) -> Any:
        if self.target is None or self.target[0] != size:
            for old in self.target[1] if self.target else ():
                for one in (*old.color_attachments, old):
                    one.release()
            self.target = (size, [])
        while len(self.target[1]) <= depth:
            self.target[1].append(self.context.framebuffer([self.context.texture(size, 4)]))
        return self.target[1][depth]

    def _program(self, vertex: str, fragment: str, define: str = "") -> Any:
        source = (SHADERS / fragment).read_text().replace("\n", f"\n{define}\n", 1)
        return self.context.program(vertex_shader=(SHADERS / vertex).read_text(), fragment_shader=source)

    def _mesh(self, rig: Rig) -> tuple[Any, tuple[Any, Any]]:
        """The buffer of vertices, and the triangles as the plain and the masked program take them."""
        if self.meshes is None or self.meshes[0] is not rig:
            vertices = self.context.buffer(reserve=max(rig.vertices.nbytes, 8), dynamic=True)
            uv = self.context.buffer(rig.uv.tobytes() or bytes(8))
            indices = self.context.buffer(rig.indices.tobytes() or bytes(12))
            plain, masked = (
                self.context.vertex_array(
                    program, [(vertices, "2f", "a_position"), (uv, "2f", "a_uv")], index_buffer=indices
                )
                for program in (self.program, self.masked)
            )
            self.meshes = (rig, vertices, (plain, masked))
        return self.meshes[1], self.meshes[2]

    def _texture(self, digest: str, stores: Stores) -> tuple[Any, tuple[int, int]]:
        if digest in self.textures:
            self.textures.move_to_end(digest)
            texture, size, _ = self.textures[digest]
            return texture, size
        padded, size = padded_premultiplied(decode_png(stores.get_picture(digest)))
        texture = self.context.texture((padded.shape[1], padded.shape[0]), 4, padded.tobytes())
        texture.build_mipmaps(0, int(DETAIL_LIMIT))
        texture.filter = (moderngl.LINEAR_MIPMAP_LINEAR, moderngl.LINEAR)
        texture.repeat_x = texture.repeat_y = False
        cost = padded.nbytes * 4 // 3
        self.textures[digest] = (texture, size, cost)
        self.held += cost
        while self.held > TEXTURE_BUDGET and len(self.textures) > 1:
            _, (old, _, freed) = self.textures.popitem(last=False)
            old.release()
            self.held -= freed
        return texture, size


def detail_at(scale: float) -> float:
    """Mipmap level for pictures shown at `scale`: one level for each halving, never blurrier than needed."""
    return min(max(-math.log2(max(scale, 1e-6)) - 0.25, 0.0), DETAIL_LIMIT)


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
def unmultiply(premultiplied: NDArray[np.uint8], straight: NDArray[np.uint8]) -> None:
    """Divide colours by alpha, rounding; (n, 4) to (n, 4)."""
    for pixel in range(premultiplied.shape[0]):
        alpha = np.int32(premultiplied[pixel, 3])
        if alpha == 0:
            straight[pixel, 0] = straight[pixel, 1] = straight[pixel, 2] = straight[pixel, 3] = 0
            continue
        for channel in range(3):
            value = np.int32(premultiplied[pixel, channel])
            divided = (value * 255 + alpha // 2) // alpha
            straight[pixel, channel] = divided if divided < 255 else 255
        straight[pixel, 3] = alpha
