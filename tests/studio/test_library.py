"""The library: figures found by words of their names, in an order, a page at once."""

from __future__ import annotations

import re

import pytest
from django.db import connection
from django.test.utils import CaptureQueriesContext
from django.urls import reverse

from studio.library.models import Figure, Share
from tests.studio.conftest import signed_in


@pytest.fixture
def street(ada, bo):
    """A library of many: lamps, cats on roofs, and one that another shares."""
    Figure.objects.bulk_create([Figure(owner=ada, name=f"lamp {number:03}") for number in range(130)])
    for name in ("Cat on a roof", "roof cat, old", "a cat"):
        Figure.objects.create(owner=ada, name=name)
    shared = Figure.objects.create(owner=bo, name="kettle of bo")
    Share.objects.create(figure=shared, user=ada)
    Figure.objects.create(owner=bo, name="a secret cat")
    return signed_in(ada)


def names(client, **asked):
    page = client.get(reverse("library"), asked).content.decode()
    return re.findall(r"<h2>(.*?)</h2>", page), page


def test_names_with_all_words_are_found_whatever_their_order_and_nothing_that_is_others(street):
    found, page = names(street, q="ROOF cat", sort="name")
    assert found == ["Cat on a roof", "roof cat, old"]
    assert "2 figures called so" in page
    assert "a secret cat" not in names(street, q="cat")[0]
    assert names(street, q="kettle")[0] == ["kettle of bo"]
    found, page = names(street, q="%")
    assert found == []
    assert "0 figures called so" in page
    assert names(street, q="<script>")[1].count("<script>") == names(street)[1].count("<script>")


def test_orders_and_pages_lead_through_all_of_them_once(street):
    first, page = names(street, sort="name")
    assert len(first) == 60
    assert "page 1 of 3" in page
    every = [name for number in (1, 2, 3) for name in names(street, sort="name", page=number)[0]]
    assert len(every) == len(set(every)) == 134
    assert [one.lower() for one in every] == sorted(one.lower() for one in every)
    assert names(street, sort="first")[0][0] == "lamp 000"
    assert names(street, sort="made")[0][0] in ("kettle of bo", "a cat")
    assert "sort=name" in re.findall(r'href="(\?[^"]*page=2[^"]*)"', page)[0].replace("&amp;", "&")
    for odd in ("0", "-1", "99", "x"):
        assert names(street, sort="nonsense", page=odd)[0]


def test_a_library_of_many_takes_a_few_queries(street, ada):
    Figure.objects.bulk_create([Figure(owner=ada, name=f"more {number}") for number in range(900)])
    with CaptureQueriesContext(connection) as queries:
        assert street.get(reverse("library")).status_code == 200
    assert len(queries) <= 12
