"""Refusals: what a person asked for and cannot have, in a sentence."""

from __future__ import annotations

from pydantic import ValidationError


class EditRefused(Exception):
    """The edit cannot be made; the message is a sentence for the rigger, which any file or stream takes."""

    def __init__(self, sentence: str) -> None:
        super().__init__(sentence.encode("utf-8", "replace").decode())  # a name asked for may be a lone surrogate


def tell(error: ValidationError) -> str:
    """The first complaint of a validation as a sentence, with the field it is about."""
    first = error.errors(include_url=False)[0]
    where = " ".join(str(step) for step in first["loc"])
    message = str(first["msg"]).removeprefix("Value error, ").rstrip(".")
    return f"{where}: {message}." if where else f"{message}."
