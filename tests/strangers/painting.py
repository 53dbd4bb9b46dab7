"""A stranger's pieces as pixels, and the sheet as an OpenRaster file."""

from __future__ import annotations

import io
import zipfile
from xml.sax.saxutils import quoteattr

import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageDraw, ImageFilter
from shapely import affinity
from shapely.geometry import LineString, Point, Polygon
from shapely.geometry.base import BaseGeometry
from shapely.ops import unary_union

from tests.strangers.artist import Piece, Stranger

SUPER = 3  # samples a px each way

Box = tuple[int, int, int, int]


def filled(shape: BaseGeometry, box: Box, samples: int = 1) -> NDArray[np.float64]:
    """How much of each px of a box (left, top, right, bottom) a shape covers (h, w), by so many samples each way."""
    left, top, right, bottom = box
    image = Image.new("L", ((right - left) * samples, (bottom - top) * samples), 0)
    draw = ImageDraw.Draw(image)
    for item in getattr(shape, "geoms", [shape]):
        if isinstance(item, Polygon) and not item.is_empty:
            for ring, tone in [(item.exterior, 255), *((hole, 0) for hole in item.interiors)]:
                draw.polygon([((x - left) * samples, (y - top) * samples) for x, y in ring.coords], fill=tone)
    if samples > 1:
        image = image.resize((right - left, bottom - top), Image.Resampling.BOX)
    return np.asarray(image, float) / 255


def picture(one: Stranger, piece: Piece) -> tuple[Image.Image, int, int]:
    """A piece as painted, and where its top left lies on the sheet."""
    pad = one.line / 2 + 3 + 3 * one.soft
    low = np.floor(np.array(piece.shape.bounds[:2]) - pad).astype(int)
    high = np.ceil(np.array(piece.shape.bounds[2:]) + pad).astype(int)
    box = (int(low[0]), int(low[1]), int(high[0]), int(high[1]))
    base = np.array(one.colour(piece.shift, piece.light), float)
    inside = filled(piece.shape, box, SUPER)
    colour, alpha = _fill(one, piece, base, box), inside
    if one.line > 0:
        rings = [piece.shape.exterior, *piece.shape.interiors]
        edge = unary_union([LineString(ring.coords).buffer(one.line / 2, 16) for ring in rings])
        if piece.open_at is not None:  # no line where it runs into the piece above
            edge = edge.difference(Point(piece.open_at).buffer(piece.open_r * 1.02, 32))
        line = filled(edge, box, SUPER)
        ink = base * 0.35 if one.own_ink else np.array(one.ink, float)
        colour = ink * line[..., None] + colour * (1 - line[..., None])
        alpha = np.clip(line + inside * (1 - line), 0, 1)
    if piece.stray:
        alpha[:2, :2] = 1
    rgba = np.dstack([np.clip(colour, 0, 255), alpha * 255]).round().astype(np.uint8)
    image = Image.fromarray(rgba, "RGBA")
    if one.soft:
        image.putalpha(image.getchannel("A").filter(ImageFilter.GaussianBlur(one.soft)))
    return image, box[0], box[1]


def _fill(one: Stranger, piece: Piece, base: NDArray[np.float64], box: Box) -> NDArray[np.float64]:
    """A piece's colour without its line (h, w, 3): flat, shaded to one side, a gradient or grainy."""
    width, height = box[2] - box[0], box[3] - box[1]
    fill = np.broadcast_to(base, (height, width, 3)).copy()
    if one.fill == "shade":
        shade = affinity.translate(piece.shape, 0.35 * width, 0.1 * height).intersection(piece.shape)
        fill *= 1 - 0.22 * filled(shade, box, SUPER)[..., None]
    elif one.fill == "gradient":
        fill *= np.linspace(1.12, 0.78, height)[:, None, None]
    elif one.fill == "grain":
        fill += np.random.default_rng(one.seed).normal(0, 9, fill.shape)
    return fill


def openraster(one: Stranger) -> bytes:
    """The whole sheet as an OpenRaster file."""
    rows, pictures = [], []
    for number, piece in enumerate(one.pieces):
        image, x, y = picture(one, piece)
        data = io.BytesIO()
        image.save(data, "PNG")
        pictures.append((f"data/l{number}.png", data.getvalue()))
        blend = f' composite-op="{piece.blend}"' if piece.blend else ""
        rows.append(
            (piece.group, f'<layer name={quoteattr(piece.name)} src="data/l{number}.png" x="{x}" y="{y}"{blend}/>')
        )
    xml, current = [], None
    for group, row in reversed(rows):  # the front first
        if group != current:
            xml += ["</stack>"] if current else []
            xml += [f"<stack name={quoteattr(group)}>"] if group else []
            current = group
        xml.append(row)
    xml += ["</stack>"] if current else []
    width, height = one.size
    stack = f'<?xml version="1.0" encoding="UTF-8"?><image version="0.0.3" w="{width}" h="{height}"><stack>{"".join(xml)}</stack></image>'
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr(zipfile.ZipInfo("mimetype"), "image/openraster")
        archive.writestr("stack.xml", stack)
        for name, data in pictures:
            archive.writestr(name, data)
    return out.getvalue()
