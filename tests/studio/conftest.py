"""Users, a stored figure, and a worker in the test's own process."""

from __future__ import annotations

import json

import pytest
from django.contrib.auth.hashers import Argon2PasswordHasher
from django.core.management import call_command
from django.test import Client

from kunstgriff.artwork.sheet import no_progress
from studio.accounts.models import User
from studio.deliveries.tasks import keep
from studio.library.actions import create_figure
from studio.library.models import Figure
from tests.art import edited, two_piece_arm


class QuickArgon2(Argon2PasswordHasher):
    """Argon2 with the least it takes: what a guess costs is tried in `test_accounts.py`, and nowhere else."""

    time_cost, memory_cost, parallelism = 1, 8, 1


@pytest.fixture(autouse=True)
def quick_passwords(settings):
    settings.PASSWORD_HASHERS = [f"{QuickArgon2.__module__}.{QuickArgon2.__qualname__}"]


@pytest.fixture(autouse=True)
def own_folders(settings, tmp_path):
    settings.MEDIA_ROOT = tmp_path / "media"
    settings.UPLOADS = tmp_path / "uploads"
    settings.SOURCES = tmp_path / "sources"


@pytest.fixture(autouse=True)
def cache_table(db):
    call_command("createcachetable")


@pytest.fixture
def ada(db) -> User:
    return User.objects.create_user("ada", password="a long wick burns")


@pytest.fixture
def bo(db) -> User:
    return User.objects.create_user("bo", password="a short wick smokes")


def signed_in(user: User) -> Client:
    client = Client()
    client.force_login(user)
    return client


@pytest.fixture
def arm(ada) -> Figure:
    figure, memory = two_piece_arm()
    figure = edited(figure, memory, {"kind": "set_spring", "bone": "arm 2"})
    keep(memory, no_progress)
    return create_figure(ada, figure, "made for a test")


def post(client: Client, url: str, **data):
    return client.post(url, json.dumps(data), content_type="application/json")
