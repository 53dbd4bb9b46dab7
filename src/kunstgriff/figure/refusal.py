"""Refusals: what a person asked for and cannot have, in a sentence."""

from __future__ import annotations

from typing import ClassVar

from pydantic import ValidationError


class Refusal(Exception):
    """What was asked for cannot be had; the message is a sentence for a person, which any file or stream takes.

    `code` is for programs, which never read the sentence.
    """

    code: ClassVar[str] = "refused"

    def __init__(self, sentence: str) -> None:
        super().__init__(sentence.encode("utf-8", "replace").decode())  # a name asked for may be a lone surrogate


class EditRefused(Refusal):
    """The edit cannot be made."""

    code = "edit-refused"


class DeliveryRefused(Refusal, ValueError):
    """The delivery cannot be made."""

    code = "delivery-refused"


def tell(error: ValidationError) -> str:
    """The first complaint of a validation as a sentence, with the field it is about."""
    first = error.errors(include_url=False)[0]
    where = " ".join(str(step) for step in first["loc"])
    message = str(first["msg"]).removeprefix("Value error, ").rstrip(".")
    return f"{where}: {message}." if where else f"{message}."
