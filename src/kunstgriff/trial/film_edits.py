"""A film laid under a motion to go by."""

from __future__ import annotations

from typing import Literal

from kunstgriff.figure.edit import Edit
from kunstgriff.figure.model import Figure
from kunstgriff.figure.motions import FigureMotion, Film
from kunstgriff.figure.stores import Stores
from kunstgriff.trial.film import still_of
from kunstgriff.trial.motion_edits import need_motion, with_motion


def on_the_sheet(film: Film, figure: Figure) -> Film:
    """A film as wide as the sheet, its top left at the sheet's."""
    x, y = figure.sheet.standing_point
    return film.model_copy(update={"place": (-x, -y), "scale": figure.sheet.width / film.size[0]})


class SetFilm(Edit):
    """Lay a film (already in the stores) under a motion, from the frame on at which it `begins`.

    Without one it is taken away."""

    kind: Literal["set_film"] = "set_film"
    motion: str
    film: Film | None = None

    def apply(self, figure: Figure, stores: Stores) -> Figure:
        one = need_motion(figure, self.motion)
        if self.film is not None:
            still_of(stores, self.film, self.film.pictures - 1)
        return with_motion(figure, FigureMotion(**{**dict(one), "film": self.film}))

    def describe(self, figure: Figure) -> str:
        return f"the film under {need_motion(figure, self.motion).name}"
