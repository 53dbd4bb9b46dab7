"""The plainest values a figure is made of: names, references, digests, places, shares, colours.

Each says by its annotation what it is (see `references`); a test holds every field of the document to that.
"""

from __future__ import annotations

from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field, StringConstraints

from kunstgriff.figure.references import Means

PLAIN = Means("plain")
LENGTH = Means("length")
OWN_LENGTH = Means("own length")
TURN = Means("turn")

Name = Annotated[str, StringConstraints(min_length=1, max_length=80, strip_whitespace=True)]
Ref = Annotated[str, StringConstraints(pattern=r"^[a-z][0-9]{1,9}$")]
Id = Annotated[Ref, Means("id")]
BoneId = Annotated[Ref, Means("id", subject=True)]
BoneRef = Annotated[Ref, Means("bone")]
SubjectRef = Annotated[Ref, Means("bone", subject=True)]  # the bone whose turns and stretches stand beside it
PartRef = Annotated[Ref, Means("part")]
NeededBoneRef = Annotated[Ref, Means("bone", needed=True)]
NeededPartRef = Annotated[Ref, Means("part", needed=True)]  # what it stands in is nothing without it
GroupRef = Annotated[Ref, Means("group")]
MemberRef = Annotated[Ref, Means("member")]  # a part or a group
CarrierRef = Annotated[Ref, Means("carrier")]  # a part or a bone
Digest = Annotated[str, StringConstraints(pattern=r"^[0-9a-f]{64}$")]
PictureDigest = Annotated[Digest, Means("picture")]
PastPictureDigest = Annotated[Digest, Means("picture", kept=False)]  # what a picture was
LoosePictureDigest = Annotated[Digest, Means("loose picture")]  # laid on at a scale of its own
ArrayDigest = Annotated[Digest, Means("array")]
PxArrayDigest = Annotated[Digest, Means("array", in_px=True)]
PixelSize = Annotated[
    tuple[Annotated[int, Field(ge=1)], Annotated[int, Field(ge=1)]], Means("pixels")
]  # width and height
Coordinate = Annotated[float, Field(allow_inf_nan=False, ge=-1e6, le=1e6)]
Point = tuple[Coordinate, Coordinate]
FigurePoint = Annotated[Point, Means("place")]
FigureMove = Annotated[Point, Means("move")]
OwnPoint = Annotated[Point, Means("own place")]  # px of a picture, from its top left
Share = Annotated[float, Field(ge=0.0, le=1.0), PLAIN]
Colour = Annotated[str, StringConstraints(pattern=r"^#[0-9a-f]{6}$")]  # sRGB


class Value(BaseModel):
    """Base of everything in the document: frozen, and nothing unknown slips in."""

    model_config = ConfigDict(frozen=True, extra="forbid")
