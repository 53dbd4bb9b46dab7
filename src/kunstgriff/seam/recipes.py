"""Treatments kept with the figure: added, taken off, and made anew by their recipes. Each kind says how it is made."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kunstgriff.figure.model import Figure
from kunstgriff.figure.stage import Stages, of_stages
from kunstgriff.figure.stores import Stores, encode_png
from kunstgriff.figure.treatments import Treatment

UNMADE = "0" * 64  # stands for a picture that the recipe has yet to make


@dataclass(frozen=True)
class RecipeMaker:
    """`make(figure, treatment, stores)`: the fields of a `kind` of treatment that its recipe makes."""

    kind: str
    make: Callable[[Figure, Any, Stores], dict[str, Any]]


@of_stages
def _makers(stages: Stages) -> dict[str, RecipeMaker]:
    return {one.kind: one for one in stages.all(RecipeMaker)}


def made(figure: Figure, treatment: Treatment, stores: Stores) -> Treatment:
    """The treatment with its pictures made from the drawing as it is now."""
    maker = _makers().get(treatment.kind)
    return treatment if maker is None else treatment.model_copy(update=maker.make(figure, treatment, stores))


def with_treatment(
    figure: Figure, treatment: Treatment, stores: Stores, instead_of: Callable[[Treatment], bool] | None = None
) -> Figure:
    """The figure with one more treatment, made; in the place of those that `instead_of` tells true of."""
    kept = tuple(one for one in figure.treatments if instead_of is None or not instead_of(one))
    return figure.replace(treatments=(*kept, made(figure, treatment, stores)), next_id=figure.next_id + 1)


def made_anew(figure: Figure, parts: Iterable[str], stores: Stores) -> Figure:
    """The figure with every treatment that needs one of these parts made anew, openings first."""
    refs = set(parts)
    for openings in (True, False):
        figure = figure.replace(
            treatments=tuple(
                made(figure, one, stores) if refs & one.used_parts and (one.kind == "opening") == openings else one
                for one in figure.treatments
            )
        )
    return figure


def kept_picture(pixels: NDArray[np.uint8], stores: Stores) -> str:
    """The digest of a picture (h, w, 4), kept in the stores."""
    return stores.put_picture(encode_png(pixels))


def new_id(figure: Figure) -> str:
    """An id for one more treatment."""
    return f"c{figure.next_id}"
