"""Strokes and fills of an SVG layer told apart exactly, by rendering it again in other colours.

With alphas fixed, source-over is linear in colour, under group opacity, masks and clips as well. So the layer painted
with all fills black gives what strokes add to each pixel's colour; with strokes white, too, it gives the share of the
pixel that is stroke. Ink is these two; the fill under it is what is left of the whole, or, where the ink hides it, the
layer without strokes. Ink over fill is then the whole, pixel for pixel.
"""

from __future__ import annotations

import copy
import re
from xml.etree.ElementTree import Element, SubElement

import numpy as np
from numpy.typing import NDArray

from kunstgriff.artwork.blending import straightened

SHAPES = {"path", "rect", "circle", "ellipse", "line", "polyline", "polygon"}
APART = {"clipPath", "mask", "defs", "linearGradient", "radialGradient"}  # what stands in these is no drawing itself
PLAIN = SHAPES | APART | {"g", "svg", "stop", "style", "title", "desc"}
MOSTLY_FILL = 0.4  # share of the painted area a layer's fills must have for its strokes to be its ink
HIDDEN = 0.02  # share of fill seen through the ink below which it is taken from the layer without strokes
_RULE = re.compile(r"([^{}]+)\{([^{}]*)\}")
_SIMPLE = re.compile(r"^(\*|[\w-]+)?([.#][\w-]+)?$")

Rules = list[tuple[str, dict[str, str]]]


def variants(page: Element, shown: Element) -> list[Element] | None:
    """Pages with fills black, with fills black and strokes white, and without strokes; None where that is not exact.

    `shown` is the layer's element inside `page`. Anything but plain shapes (pictures, patterns, markers, filters,
    blend modes, copies by reference, selectors that are not simple) is not told apart.
    """
    rules = _rules(page)
    if rules is None or not _is_plain(page, shown):
        return None
    painted = _painted(page, rules)
    if not any(fill for _, fill, _ in painted) or not any(stroke for _, _, stroke in painted):
        return None
    number = {id(element): place for place, element in enumerate(page.iter())}
    made = []
    for fill_colour, stroke_colour in (("black", None), ("black", "white"), (None, "none")):
        variant = copy.deepcopy(page)
        _add_gradients(variant)
        elements = list(variant.iter())
        for element, fill, stroke in painted:
            target = elements[number[id(element)]]
            _override(target, "fill", fill, fill_colour)
            _override(target, "stroke", stroke, stroke_colour)
        made.append(variant)
    return made


def ink_and_fill(
    whole: NDArray[np.uint8], ink_colour: NDArray[np.uint8], ink_share: NDArray[np.uint8], bare: NDArray[np.uint8]
) -> tuple[NDArray[np.uint8], NDArray[np.uint8]] | None:
    """Ink and fill pictures (h, w, 4) from the layer and its three variants; None where it is mostly strokes."""
    alpha = whole[..., 3:].astype(np.float32) / 255
    colour = ink_colour[..., :3] / np.float32(255) * alpha
    share = ink_share[..., :1] / np.float32(255) * alpha
    bare_alpha = bare[..., 3:].astype(np.float32) / 255
    if bare_alpha.sum() < MOSTLY_FILL * alpha.sum() or share.max() == 0:
        return None
    left = 1 - share
    seen = left > HIDDEN
    whole_colour = whole[..., :3] / np.float32(255) * alpha
    fill_colour = np.where(seen, (whole_colour - colour) / np.maximum(left, HIDDEN), bare[..., :3] / 255 * bare_alpha)
    fill_alpha = np.where(seen, (alpha - share) / np.maximum(left, HIDDEN), bare_alpha)
    ink, fill = np.dstack([colour, share]), np.dstack([fill_colour, fill_alpha]).clip(0, 1)
    return straightened(ink), straightened(fill)


def _local(element: Element) -> str:
    return str(element.tag).rsplit("}", 1)[-1]


def _is_plain(page: Element, shown: Element) -> bool:
    inside_apart = {inner for one in shown.iter() if _local(one) in APART for inner in one.iter()}
    for element in shown.iter():
        if element not in inside_apart and _local(element) not in PLAIN:
            return False
    for element in page.iter():
        for key, value in element.attrib.items():
            if key in ("filter", "marker", "marker-start", "marker-mid", "marker-end") and value != "none":
                return False
            if key == "style" and re.search(r"filter|marker|blend|paint-order", value):
                return False
        if _local(element) == "pattern" or element.get("paint-order"):
            return False
    return True


def _rules(page: Element) -> Rules | None:
    """The style sheets' rules in order, most specific last; None when a selector is not a simple one."""
    found = []
    for sheet in page.iter():
        if _local(sheet) != "style" or not sheet.text:
            continue
        text = re.sub(r"/\*.*?\*/|<!\[CDATA\[|\]\]>", "", sheet.text, flags=re.DOTALL)
        if "@" in text or "!" in text or re.search(r"filter|marker|blend|paint-order", text):
            return None
        for selectors, body in _RULE.findall(text):
            for selector in (one.strip() for one in selectors.split(",")):
                if not _SIMPLE.match(selector):
                    return None
                found.append((selector, _declared(body)))
    return sorted(found, key=lambda rule: ("#" in rule[0], "." in rule[0], rule[0] != "*"))


def _declared(text: str) -> dict[str, str]:
    pairs = (one.partition(":") for one in text.split(";"))
    return {key.strip(): value.strip() for key, _, value in pairs if value}


def _painted(page: Element, rules: Rules) -> list[tuple[Element, str, str]]:
    """Every drawn shape with its fill and its stroke; empty for none."""
    found = []

    def walk(element: Element, fill: str, stroke: str) -> None:
        if _local(element) in APART:
            return
        fill, stroke = (_value(element, name, rules) or old for name, old in (("fill", fill), ("stroke", stroke)))
        if _local(element) in SHAPES:
            found.append((element, "" if fill == "none" else fill, "" if stroke == "none" else stroke))
        for child in element:
            walk(child, fill, stroke)

    walk(page, "black", "none")
    return found


def _value(element: Element, name: str, rules: Rules) -> str | None:
    """What the cascade says of a property on this very element (CSS 2.1, simple selectors); None: inherited."""
    own = _declared(element.get("style", "")).get(name)
    if own is None:
        for selector, declared in rules:
            if name in declared and _matches(element, selector):
                own = declared[name]
    own = own if own is not None else element.get(name)
    return None if own in (None, "inherit") else own


def _matches(element: Element, selector: str) -> bool:
    match = _SIMPLE.match(selector)
    if match is None:
        return False
    tag, mark = match[1], match[2]
    if tag not in (None, "*", _local(element)):
        return False
    if mark is None:
        return True
    return element.get("id") == mark[1:] if mark[0] == "#" else mark[1:] in (element.get("class") or "").split()


def _override(element: Element, name: str, present: str, colour: str | None) -> None:
    """Give a property another colour where it is painted at all; a gradient keeps its see-throughness."""
    if not present or colour is None:
        return
    gradient = re.search(r"url\(['\"]?#([^)'\"]+)", present)
    value = f"url(#{gradient[1]}--{colour})" if gradient and colour != "none" else colour
    element.set("style", f"{element.get('style', '').rstrip('; ')};{name}:{value}".lstrip(";"))


def _add_gradients(page: Element) -> None:
    """All gradients once more in black and in white."""
    gradients = [one for one in page.iter() if _local(one) in ("linearGradient", "radialGradient") and one.get("id")]
    if not gradients:
        return
    definitions = SubElement(page, page.tag.replace("}svg", "}defs"))
    for gradient in gradients:
        for colour in ("black", "white"):
            one = copy.deepcopy(gradient)
            one.set("id", f"{gradient.get('id')}--{colour}")
            for key, value in one.attrib.items():
                if key.rsplit("}", 1)[-1] == "href":
                    one.set(key, f"{value}--{colour}")
            for stop in one:
                style = re.sub(r"stop-color\s*:[^;]*;?", "", stop.get("style", ""))
                stop.set("style", f"{style};stop-color:{colour}".lstrip(";"))
            definitions.append(one)
