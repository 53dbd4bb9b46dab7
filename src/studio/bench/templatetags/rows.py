"""The forms that stand on the card again and again, as tags: buttons, and rows of a label and a field.

What a field shows and does is an Alpine expression; words are plain text. None of it comes from a person's input.
"""

from __future__ import annotations

from django import template
from django.utils.html import format_html, format_html_join
from django.utils.safestring import SafeString, mark_safe

register = template.Library()

FIELD = {"value": ":value", "change": "@change", "model": "x-model", "number_model": "x-model.number",
         "placeholder_of": ":placeholder", "selected": ":selected"}  # fmt: skip
BUTTON = {"show": "x-show", "disabled": ":disabled", "pressed": ":aria-pressed", "title": "title"}


def _attributes(given: dict[str, str], names: dict[str, str] | None = None) -> SafeString:
    """Attributes as HTML, each under the name it has there."""
    names = names or {}
    pairs = [(mark_safe(names.get(name, name)), value) for name, value in given.items()]
    return format_html_join("", ' {}="{}"', pairs)


def _button(look: str, word: str, text: str, click: str, more: dict[str, str]) -> SafeString:
    dynamic = format_html(' x-text="{}"', text) if text else ""
    return format_html(
        '<button type="button" class="btn {}" @click="{}"{}{}>{}</button>', look, click, _attributes(more, BUTTON),
        dynamic, word,
    )  # fmt: skip


@register.simple_tag
def quiet(word: str = "", *, click: str, text: str = "", **more: str) -> SafeString:
    """A quiet button: its word, or the expression that is its `text`."""
    return _button("btn-quiet", word, text, click, more)


@register.simple_tag
def brass(word: str = "", *, click: str, text: str = "", **more: str) -> SafeString:
    """The button for what one most likely wants."""
    return _button("btn-brass", word, text, click, more)


def _row(ref: str, label: str, field: SafeString, show: str) -> SafeString:
    shown = format_html(' x-show="{}"', show) if show else ""
    return format_html('<div class="row-line"{}><label for="{}">{}</label>{}</div>', shown, ref, label, field)


@register.simple_tag
def number_row(ref: str, label: str, *, show: str = "", **more: str) -> SafeString:
    """A number with its label."""
    field = format_html('<input id="{}" type="number" class="form-control"{}>', ref, _attributes(more, FIELD))
    return _row(ref, label, field, show)


@register.simple_tag
def text_row(ref: str, label: str, *, show: str = "", **more: str) -> SafeString:
    """A line of text with its label."""
    field = format_html('<input id="{}" type="text" class="form-control"{}>', ref, _attributes(more, FIELD))
    return _row(ref, label, field, show)


@register.simple_tag
def choice_row(
    ref: str, label: str, *, each: str, key: str, option: str, word: str, selected: str = "", first: str = "",
    show: str = "", **more: str,
) -> SafeString:  # fmt: skip
    """One of a list with its label: `each` is "name in list", `option` and `word` what of it is chosen and shown;
    `first` stands before them all for nothing chosen."""
    none = format_html('<option value="">{}</option>', first) if first else ""
    chosen = format_html(' :selected="{}"', selected) if selected else ""
    options = format_html(
        '<template x-for="{}" :key="{}"><option :value="{}"{} x-text="{}"></option></template>', each, key, option,
        chosen, word,
    )  # fmt: skip
    field = format_html(
        '<select id="{}" class="form-select"{}>{}{}</select>', ref, _attributes(more, FIELD), none, options
    )
    return _row(ref, label, field, show)
