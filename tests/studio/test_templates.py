"""What templates say to Alpine, whose build without eval knows no globals and calls none."""

from __future__ import annotations

import re
from pathlib import Path

import pytest

TEMPLATES = Path(__file__).resolve().parents[2] / "src" / "studio" / "templates"
SPOKEN = re.compile(
    r"""(?:@[\w.-]+|:[\w-]+|x-[\w.-]+|click|change|value|model|text|show|disabled|each|word)="([^"{}]*(?:\{[^%{][^"]*)?)\""""
)
GLOBALS = re.compile(
    r"\b(?:Number|Math|String|Boolean|JSON|Object|Array|parseFloat|parseInt|Date|window|document)\b[.(]"
)


@pytest.mark.parametrize("path", sorted(TEMPLATES.rglob("*.html")), ids=lambda path: str(path.relative_to(TEMPLATES)))
def test_no_expression_needs_a_global_that_the_build_without_eval_does_not_know(path):
    found = [spoken for spoken in SPOKEN.findall(path.read_text()) if GLOBALS.search(spoken)]
    assert not found
