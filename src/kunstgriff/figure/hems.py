"""Hems: a skirt, or its two panels, over two legs, as it was set up to be read and tuned."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from kunstgriff.figure.values import Id, Name, NeededBoneRef, NeededPartRef, PartRef, Value


class Hem(Value):
    """A skirt part over two legs: its front `panel`, the one `behind` it where there are two, what it hangs on
    (`pelvis`) and the thighs it follows, of the leg in front and of the one behind. A `mask` cuts it to one line."""

    id: Id
    name: Name
    panel: NeededPartRef
    behind: PartRef | None = None
    mask: PartRef | None = None
    pelvis: NeededBoneRef
    near: NeededBoneRef
    far: NeededBoneRef

    @property
    def panels(self) -> tuple[str, ...]:
        """Its parts by id, the front one first."""
        return (self.panel,) if self.behind is None else (self.panel, self.behind)


Hems = Annotated[tuple[Hem, ...], Field(max_length=40)]
