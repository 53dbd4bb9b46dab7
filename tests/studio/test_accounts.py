"""Who may come in, and what pages may run."""

from __future__ import annotations

import time

import pytest
from django.contrib.auth.hashers import Argon2PasswordHasher
from django.test import Client

from studio import settings as configured
from studio.accounts import patience
from studio.library.models import Share
from tests.studio.conftest import post, signed_in

pytestmark = pytest.mark.django_db


def try_password(client, password, name="ada"):
    return client.post("/account/sign-in/", {"username": name, "password": password})


def test_the_studio_hashes_as_django_does_by_itself():
    """Argon2id with what Django 5.2 ships, more than the 19 MiB OWASP's sheet on storing passwords asks for (from memory)."""
    (name,) = configured.PASSWORD_HASHERS
    assert name == "django.contrib.auth.hashers.Argon2PasswordHasher"
    assert Argon2PasswordHasher.memory_cost >= 19 * 1024


def test_the_right_password_opens_the_library_and_is_kept_as_argon2(ada):
    assert ada.password.startswith("argon2")
    answer = try_password(Client(), "a long wick burns")
    assert (answer.status_code, answer.url) == (302, "/figures/")


def test_too_many_wrong_passwords_make_an_address_wait(ada, settings):
    client = Client()
    for _ in range(settings.LOGIN_TRIES):
        assert try_password(client, "wrong").status_code == 200
    answer = try_password(client, "a long wick burns")
    assert b"Too many wrong passwords" in answer.content


def test_others_who_try_a_name_slow_it_down_but_do_not_lock_its_owner_out(ada, settings):
    own = Client(REMOTE_ADDR="10.0.0.1")
    assert try_password(own, "a long wick burns").status_code == 302
    own.post("/account/sign-out/")
    for number in range(settings.LOGIN_TRIES + 2):
        try_password(Client(REMOTE_ADDR=f"10.0.1.{number}"), "wrong")
    assert b"Wait 5 seconds" in try_password(Client(REMOTE_ADDR="10.0.2.1"), "wrong").content
    assert try_password(own, "a long wick burns").status_code == 302, "from where they signed in before, at once"
    settings.LOGIN_SLOW = 1
    for number in range(settings.LOGIN_TRIES + 1):
        try_password(Client(REMOTE_ADDR=f"10.0.3.{number}"), "wrong")
    time.sleep(2.5)
    elsewhere = Client(REMOTE_ADDR="10.0.4.1")
    assert try_password(elsewhere, "a long wick burns").status_code == 302, "from anywhere else after seconds"


def test_passwords_are_hashed_a_few_at_a_time_and_who_waits_too_long_is_told(ada, settings):
    settings.SIGN_IN_PATIENCE = 0.1
    taken = [patience.turns.acquire() for _ in range(settings.SIGN_INS_AT_ONCE)]
    try:
        assert b"Very many sign in" in try_password(Client(), "a long wick burns").content
    finally:
        for _ in taken:
            patience.turns.release()
    assert try_password(Client(), "a long wick burns").status_code == 302


def test_a_visitor_makes_an_account_where_that_is_allowed(settings, db):
    client = Client()
    page = {"username": "cy", "password1": "a long wick burns", "password2": "a long wick burns"}
    assert b"too short" in client.post("/account/new/", {**page, "password1": "wick", "password2": "wick"}).content
    assert client.post("/account/new/", page).url == "/figures/"
    assert client.get("/figures/").status_code == 200
    settings.SIGN_UP = False
    assert Client().get("/account/new/").status_code == 404


@pytest.mark.parametrize(
    "url", ["/figures/", "/bench/1/", "/bench/1/state/", "/jobs/of/1/", "/figures/pictures/" + "a" * 64 + ".png"]
)
def test_nothing_is_shown_to_strangers(url):
    assert Client().get(url).url.startswith("/account/sign-in/")


def test_figures_are_private_until_shared_and_shared_to_look_or_to_edit(ada, bo, arm):
    other = signed_in(bo)
    state = f"/bench/{arm.pk}/state/"
    rename = {"base": arm.head_id, "edit": {"kind": "rename_figure", "name": "Bo's arm"}}
    assert other.get(state).status_code == 410
    assert post(other, f"/bench/{arm.pk}/edit/", **rename).status_code == 410
    signed_in(ada).post(f"/figures/{arm.pk}/share/", {"username": "bo"})
    assert other.get(state).json()["mayEdit"] is False
    answer = post(other, f"/bench/{arm.pk}/edit/", **rename)
    assert (answer.status_code, "ask its owner" in answer.json()["sentence"]) == (403, True)
    signed_in(ada).post(f"/figures/{arm.pk}/share/", {"username": "bo", "may_edit": "yes"})
    assert post(other, f"/bench/{arm.pk}/edit/", **rename).status_code == 200
    assert Share.objects.count() == 1
    assert other.post(f"/figures/{arm.pk}/share/", {"username": "ada"}).status_code == 404
    signed_in(ada).post(f"/figures/{arm.pk}/unshare/{bo.pk}/")
    assert other.get(state).status_code == 410


def test_a_figure_is_deleted_only_by_its_owner_and_by_name(ada, bo, arm):
    owner = signed_in(ada)
    owner.post(f"/figures/{arm.pk}/delete/", {"name": "something else"})
    assert owner.get(f"/bench/{arm.pk}/state/").status_code == 200
    assert signed_in(bo).post(f"/figures/{arm.pk}/delete/", {"name": arm.name}).status_code == 404
    owner.post(f"/figures/{arm.pk}/delete/", {"name": arm.name})
    answer = post(owner, f"/bench/{arm.pk}/edit/", base=1, edit={"kind": "rename_figure", "name": "x"})
    assert (answer.status_code, "deleted" in answer.json()["sentence"]) == (410, True)


def test_a_request_from_another_site_is_turned_away(ada, arm):
    client = Client(enforce_csrf_checks=True)
    client.force_login(ada)
    assert post(client, f"/bench/{arm.pk}/edit/", base=arm.head_id, edit={}).status_code == 403


def test_pages_run_only_their_own_scripts_and_styles(ada, arm):
    for url in ("/figures/", f"/bench/{arm.pk}/"):
        answer = signed_in(ada).get(url)
        policy = answer["Content-Security-Policy"]
        assert "script-src 'self'" in policy
        assert "unsafe" not in policy
        assert "frame-ancestors 'none'" in policy
        assert b"<script>" not in answer.content
        assert b" style=" not in answer.content
