"""A person's own account: password changed and got back by mail, signed out everywhere, deleted with all its own."""

from __future__ import annotations

import re

import pytest
from django.core import mail
from django.core.cache import cache

from studio.accounts.models import User
from studio.deliveries.models import SavedList
from studio.library.models import Figure, Revision
from tests.studio.conftest import post, signed_in

OLD, NEW = "a wick wants trimming", "an hour before the dusk"


@pytest.fixture
def wanda(db):
    cache.clear()
    return User.objects.create_user("wanda", email="wanda@street.example", password=OLD)


def test_a_password_is_changed_here_and_other_browsers_are_signed_out(wanda):
    here, there = signed_in(wanda), signed_in(wanda)
    wrong = here.post("/account/", {"old_password": "guess", "new_password1": NEW, "new_password2": NEW})
    assert 'role="alert"' in wrong.content.decode()
    short = here.post("/account/", {"old_password": OLD, "new_password1": "short", "new_password2": "short"})
    assert "at least 10" in short.content.decode()
    assert here.post("/account/", {"old_password": OLD, "new_password1": NEW, "new_password2": NEW}).status_code == 302
    assert here.get("/account/").status_code == 200
    assert there.get("/account/").status_code == 302, "who was signed in elsewhere is not any more"
    wanda.refresh_from_db()
    assert wanda.check_password(NEW)


def test_one_signs_out_everywhere_at_once(wanda):
    here, there = signed_in(wanda), signed_in(wanda)
    assert here.get("/account/leave-everywhere/").status_code == 405
    assert here.post("/account/leave-everywhere/").status_code == 302
    assert [one.get("/account/").status_code for one in (here, there)] == [302, 302]
    assert signed_in(User.objects.get(pk=wanda.pk)).get("/account/").status_code == 200


def test_who_forgot_it_gets_a_link_by_mail_that_is_good_once(client, wanda):
    sent = client.post("/account/forgotten/", {"email": "WANDA@street.example"})
    assert sent.url == "/account/forgotten/sent/"
    (letter,) = mail.outbox
    assert letter.to == ["wanda@street.example"]
    path = re.search(r"http://testserver(\S+)", letter.body)[1]
    page = client.get(path, follow=True)
    assert "New password" in page.content.decode()
    done = client.post(page.request["PATH_INFO"], {"new_password1": NEW, "new_password2": NEW})
    assert done.url == "/account/forgotten/done/"
    wanda.refresh_from_db()
    assert wanda.check_password(NEW)
    assert "used already" in client.get(path, follow=True).content.decode()


def test_nobody_learns_whose_address_is_known_and_links_are_few(client, wanda, settings):
    answers = [
        client.post("/account/forgotten/", {"email": one}) for one in ("wanda@street.example", "nobody@street.example")
    ]
    assert len({(one.status_code, one.url) for one in answers}) == 1
    assert len(mail.outbox) == 1
    for _ in range(settings.LOGIN_TRIES):
        answer = client.post("/account/forgotten/", {"email": "wanda@street.example"})
    assert "Too many links" in answer.content.decode()
    assert len(mail.outbox) < settings.LOGIN_TRIES + 1


def test_an_account_goes_with_all_its_own_and_nothing_of_others(ada, bo, arm):
    ada.set_password(OLD)
    ada.save()
    client = signed_in(ada)
    post(client, "/jobs/lists/keep/", name="mine", files=[{"file": "a.png"}])
    others = Figure.objects.create(owner=bo, name="of bo")
    assert (
        "that is not its password"
        in client.post("/account/delete/", {"password": "guess"}, follow=True).content.decode()
    )
    assert Figure.objects.filter(pk=arm.pk).exists()
    page = client.post("/account/delete/", {"password": OLD}, follow=True)
    assert "is deleted" in page.content.decode()
    assert not User.objects.filter(pk=ada.pk).exists()
    assert not Figure.objects.filter(pk=arm.pk).exists()
    assert not Revision.objects.filter(figure_id=arm.pk).exists()
    assert not SavedList.objects.exists()
    assert Figure.objects.filter(pk=others.pk).exists()


def test_an_address_is_kept_and_one_that_is_none_is_not(wanda):
    client = signed_in(wanda)
    assert 'role="alert"' in client.post("/account/", {"email": "nowhere"}).content.decode()
    client.post("/account/", {"email": "w@lamp.example"})
    wanda.refresh_from_db()
    assert wanda.email == "w@lamp.example"
