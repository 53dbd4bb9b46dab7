"""Round ends about a joint: a recipe on the drawing, taken off again, made anew with it."""

from __future__ import annotations

import numpy as np
import pytest

from kunstgriff.artwork.mending import with_cap
from kunstgriff.artwork.outline import part_solid
from kunstgriff.delivery.frames import painter
from kunstgriff.figure.edit import EditRefused, apply_edit, need_bone, need_part
from kunstgriff.figure.model import Figure
from kunstgriff.figure.renewal import redrawn
from kunstgriff.figure.stores import MemoryStores, encode_png
from kunstgriff.reading.proposing import propose
from kunstgriff.reading.seams import read_seam_at
from kunstgriff.seam.cap import needs_cap
from kunstgriff.seam.treating import way_now
from tests.art import INK, at, capsule, drawn, edited, figure_of

RADIUS, STROKE = 30, 6


def limb(end: str, upper: float = RADIUS) -> tuple[Figure, MemoryStores]:
    """A forearm whose upper end is drawn flat at the joint (200, 200) or square beyond it, on a round upper arm."""
    start = 200 if end == "flat" else 170
    box = f'x="{start}" y="170" width="{340 - start}" height="60"'
    fore = f'<rect {box} fill="#d8c3a4" stroke="{INK}" stroke-width="{STROKE}"/>'
    layers = {"upper": drawn(capsule((80, 200), (200, 200), upper, STROKE)), "fore": drawn(fore)}
    figure, stores = figure_of(layers)
    chain = {"kind": "draw_chain", "name": "arm", "joints": at(figure, (70, 200), (200, 200), (330, 200))}
    rigid = [
        {"kind": "bind_rigid", "parts": [part], "bone": bone} for part, bone in (("upper", "arm"), ("fore", "arm 2"))
    ]
    return edited(figure, stores, chain, *rigid), stores


@pytest.mark.parametrize("end", ["flat", "square"])
def test_an_end_is_made_round_about_the_joint_and_given_back(end):
    figure, stores = limb(end)
    bone = need_bone(figure, "arm 2")
    assert needs_cap(need_part(figure, "fore"), bone, stores)
    assert not needs_cap(need_part(figure, "upper"), bone, stores)
    after = edited(figure, stores, {"kind": "lay_cap", "bone": "arm 2"})
    part = need_part(after, "fore")
    assert [one.kind for one in after.treatments] == ["cap"]
    outline = np.array(part_solid(part, stores).geoms[0].exterior.coords) + part.place - bone.joint
    behind = outline[outline[:, 0] < -2]
    assert np.abs(np.hypot(*behind.T) - (RADIUS + STROKE / 2)).max() < 1.2  # a circle about the joint, line and all
    assert part.picture != need_part(figure, "fore").picture
    lifted = edited(after, stores, {"kind": "lift_treatment", "treatment": after.treatments[0].id})
    assert need_part(lifted, "fore") == need_part(figure, "fore")
    with pytest.raises(EditRefused, match="round about it already"):
        apply_edit({"kind": "lay_cap", "bone": "arm 2"}, after, stores)


def test_what_would_show_at_rest_beside_the_two_parts_is_not_proposed():
    # a round end of the wider piece stands out beside the narrower one, where nothing was drawn: (30² - 18²) π / 2 px²
    figure, stores = limb("flat", upper=18)
    found = propose(figure, stores, need_bone(figure, "arm 2"), painter())
    capped = [one for one in found.trials if "cap" in one.way]
    assert capped
    assert all("otherwise at rest" in one.refused for one in capped)
    assert "cap" not in found.best


def test_a_seam_at_a_soft_limit_is_held_against_the_turn_that_is_really_made():
    figure, stores = limb("flat")
    figure = edited(figure, stores, {"kind": "lay_cap", "bone": "arm 2"},
                    {"kind": "set_limits", "bones": ["arm 2"], "limits": {"low": -30, "high": 40, "soft": 20}})  # fmt: skip
    told = read_seam_at(figure, stores, need_bone(figure, "arm 2"), painter(), [-30.0, 40.0])
    assert not any("one limb" in words for words in told.values())


def test_a_new_drawing_gets_the_cap_anew():
    figure, stores = limb("flat")
    figure = edited(figure, stores, {"kind": "lay_cap", "bone": "arm 2"})
    part = need_part(figure, "fore")
    first = figure.treatments[0]
    rgba = stores.get_pixels(first.picture).copy()
    rgba[..., 1] //= 2  # the same shape in another colour
    drawing = part.model_copy(
        update={"picture": stores.put_picture(encode_png(rgba)), "place": first.place, "size": first.size}
    )
    after = redrawn(figure, drawing, stores)
    now, cap = need_part(after, "fore"), after.treatments[0]
    assert cap.picture == drawing.picture
    assert now.picture == cap.made != drawing.picture
    assert now.size == part.size
    assert now.picture == with_cap(drawing, need_bone(after, "arm 2").joint, None, stores).picture


def test_a_joint_is_treated_with_round_ends_in_one_step_and_as_drawn_again():
    figure, stores = limb("square")
    capped = edited(figure, stores, {"kind": "treat_joints", "joints": [{"bone": "arm 2", "way": "cap_cover"}]})
    ref = need_bone(figure, "arm 2").id
    assert way_now(capped, ref) == "cap_cover"
    plain = edited(capped, stores, {"kind": "treat_joints", "joints": [{"bone": "arm 2", "way": "nothing"}]})
    assert way_now(plain, ref) == "nothing"
    assert need_part(plain, "fore") == need_part(figure, "fore")
