"""Drawings and sets over HTTP: an SVG as one drawing, sets of other figures taken over, nothing of a stranger's."""

from __future__ import annotations

import json

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile

from kunstgriff.artwork.sheet import no_progress
from studio.deliveries.tasks import keep
from studio.library.actions import create_figure, value_of
from tests.art import capsule, drawn, edited, figure_of
from tests.studio.conftest import post, signed_in

pytestmark = pytest.mark.django_db(transaction=True)

SVG = b'<svg xmlns="http://www.w3.org/2000/svg" width="60" height="40"><rect width="60" height="40" fill="#c0392b"/></svg>'


@pytest.fixture
def client(ada):
    return signed_in(ada)


def mouthed(owner, name="Moth"):
    """A figure with a set of two mouths in someone's library."""
    figure, stores = figure_of(
        {f"mouth {word}": drawn(capsule((180, 200), (220, 200), 9, 3)) for word in ("shut", "open")}
    )
    figure = edited(figure, stores, {"kind": "make_set", "drawings": ["mouth shut", "mouth open"], "name": "mouth"})
    keep(stores, no_progress)
    return create_figure(owner, figure.replace(name=name), "made")


def sent(client, figure, name, data):
    return client.post(f"/bench/{figure.pk}/drawing/", {"picture": SimpleUploadedFile(name, data)})


def test_an_svg_comes_to_a_set_as_one_drawing_and_a_hostile_one_is_refused(client, ada):
    moth = mouthed(ada)
    answer = sent(client, moth, "wide.svg", SVG)
    assert answer.status_code == 200
    edit = {"kind": "add_drawing", "set": "mouth", "picture": answer.json()["picture"], "name": "wide"}
    assert post(client, f"/bench/{moth.pk}/edit/", base=moth.head_id, edit=edit).status_code == 200
    moth.refresh_from_db()
    assert value_of(moth.head).parts[-1].drawing.size == (60, 40) or any(
        one.drawing.size == (60, 40) for one in value_of(moth.head).parts
    )
    for data in (
        b"no svg",
        b"<svg",
        b'<!DOCTYPE x [<!ENTITY a "b">]><svg xmlns="http://www.w3.org/2000/svg">&a;</svg>',
    ):
        refused = sent(client, moth, "x.svg", data)
        assert refused.status_code == 400
        assert refused.json()["sentence"].endswith(".")


def test_sets_of_figures_one_may_see_are_offered_and_taken_over(client, ada, bo, arm):
    moth, hidden = mouthed(ada), mouthed(bo, "Bo's own")
    offered = client.get(f"/bench/{arm.pk}/other-sets/").json()["sets"]
    assert [one["words"] for one in offered] == ["mouth, Moth"]
    ask = {"figure": moth.pk, "set": offered[0]["set"]}
    answer = client.post(f"/bench/{arm.pk}/take-set/{arm.head_id}/", json.dumps(ask), content_type="application/json")
    assert answer.status_code == 200
    made = post(client, f"/bench/{arm.pk}/edit/", base=arm.head_id, edit=answer.json()["edit"])
    assert made.status_code == 200
    assert [group["name"] for group in made.json()["figure"]["groups"]] == ["mouth"]
    for wrong in (
        {"figure": hidden.pk, "set": offered[0]["set"]},
        {"figure": moth.pk, "set": "nobody"},
        {"figure": "x"},
        {},
    ):
        answer = client.post(
            f"/bench/{arm.pk}/take-set/{arm.head_id}/", json.dumps(wrong), content_type="application/json"
        )
        assert answer.status_code == 400
        assert answer.json()["sentence"].endswith(".")
    assert signed_in(bo).get(f"/bench/{arm.pk}/other-sets/").status_code == 404
