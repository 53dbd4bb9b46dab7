"""The plainest values a figure is made of: names, references, digests, places, shares, colours."""

from __future__ import annotations

from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field, StringConstraints

Name = Annotated[str, StringConstraints(min_length=1, max_length=80, strip_whitespace=True)]
Ref = Annotated[str, StringConstraints(pattern=r"^[a-z][0-9]{1,9}$")]
Digest = Annotated[str, StringConstraints(pattern=r"^[0-9a-f]{64}$")]
Coordinate = Annotated[float, Field(allow_inf_nan=False, ge=-1e6, le=1e6)]
Point = tuple[Coordinate, Coordinate]
Share = Annotated[float, Field(ge=0.0, le=1.0)]
Colour = Annotated[str, StringConstraints(pattern=r"^#[0-9a-f]{6}$")]  # sRGB


class Value(BaseModel):
    """Base of everything in the document: frozen, and nothing unknown slips in."""

    model_config = ConfigDict(frozen=True, extra="forbid")
