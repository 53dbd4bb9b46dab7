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


IN_WORDS = {
    "greater_than_equal": "is at least {ge:,}", "less_than_equal": "is at most {le:,}",
    "greater_than": "is more than {gt:,}", "less_than": "is less than {lt:,}", "finite_number": "is a finite number",
    "int_parsing": "is a whole number", "int_type": "is a whole number", "int_from_float": "is a whole number",
    "float_parsing": "is a number", "float_type": "is a number", "string_type": "is a text",
    "string_too_short": "has at least {min_length:,} letters", "string_too_long": "has at most {max_length:,} letters",
    "too_short": "has at least {min_length:,} entries", "too_long": "has at most {max_length:,} entries",
    "missing": "is missing", "extra_forbidden": "is not known", "literal_error": "is one of {expected}",
}  # fmt: skip


def tell(error: ValidationError) -> str:
    """The first complaint of a validation as a sentence, with the field it is about."""
    first = error.errors(include_url=False)[0]
    where = " ".join(str(step) for step in first["loc"])
    if where and (known := IN_WORDS.get(first["type"])):
        return f"{where} {known.format(**first.get('ctx', {}))}."
    message = str(first["msg"]).removeprefix("Value error, ").rstrip(".")
    return f"{where}: {message}." if where else f"{message}."
