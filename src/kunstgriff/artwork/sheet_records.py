"""An art sheet as plain data and pictures in the stores, kept while a person thinks about it."""

from __future__ import annotations

from typing import Any

from kunstgriff.artwork.sheet import ArtSheet, GroupLook, Layer, Path
from kunstgriff.figure.stores import Stores


def sheet_to_data(sheet: ArtSheet, stores: Stores) -> dict[str, Any]:
    """The sheet as JSON; its pictures are put into the stores."""

    def kept(png: bytes) -> str:
        return stores.put_picture(png) if png else ""

    return {
        "size": sheet.size,
        "scale": sheet.scale,
        "standing_point": sheet.standing_point,
        "looks": [[path, [look.opacity, look.blend, look.isolated]] for path, look in sheet.looks.items()],
        "layers": [
            {
                "name": layer.name,
                "picture": kept(layer.png),
                "size": layer.size,
                "offset": layer.offset,
                "groups": layer.groups,
                "opacity": layer.opacity,
                "visible": layer.visible,
                "blend": layer.blend,
                "apart": [kept(one) for one in layer.split] if layer.split else None,
            }
            for layer in sheet.layers
        ],
    }


def sheet_from_data(data: dict[str, Any], stores: Stores) -> ArtSheet:
    """What `sheet_to_data` made. For data of our own; nothing is checked."""

    def path(steps: list[list[Any]]) -> Path:
        return tuple((number, name) for number, name in steps)

    layers = [
        Layer(
            name=one["name"],
            png=stores.get_picture(one["picture"]) if one["picture"] else b"",
            size=(one["size"][0], one["size"][1]),
            offset=(one["offset"][0], one["offset"][1]),
            groups=path(one["groups"]),
            opacity=one["opacity"],
            visible=one["visible"],
            blend=one["blend"],
            split=(stores.get_picture(one["apart"][0]), stores.get_picture(one["apart"][1])) if one["apart"] else None,
        )
        for one in data["layers"]
    ]
    standing = data["standing_point"]
    return ArtSheet(
        size=(data["size"][0], data["size"][1]),
        layers=layers,
        standing_point=(standing[0], standing[1]) if standing else None,
        looks={path(steps): GroupLook(*look) for steps, look in data["looks"]},
        scale=data["scale"],
    )
