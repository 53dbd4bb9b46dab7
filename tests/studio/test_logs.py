"""Lines of the log: each with its request, as JSON, and nothing of who asked or what for."""

from __future__ import annotations

import json
import logging

import pytest

from studio.logs import AsJson, OfRequest, asked
from tests.studio.conftest import signed_in


@pytest.fixture
def lines():
    """What is logged while a test runs, as lines of JSON."""
    found = list[dict]()

    class Kept(logging.Handler):
        def emit(self, record):
            found.append(json.loads(self.format(record)))

    handler, logger = Kept(), logging.getLogger("studio.requests")
    handler.setFormatter(AsJson())
    handler.addFilter(OfRequest())
    before = logger.level
    logger.addHandler(handler)
    logger.setLevel(logging.INFO)
    yield found
    logger.removeHandler(handler)
    logger.setLevel(before)


def test_a_request_is_found_in_the_log_by_the_id_in_its_answer(ada, arm, lines):
    answer = signed_in(ada).get(f"/bench/{arm.pk}/?secret=word", headers={"X-Request-ID": "from-the-proxy-1"})
    assert answer["X-Request-ID"] == "from-the-proxy-1"
    (line,) = lines
    assert line["request"] == "from-the-proxy-1"
    assert (line["method"], line["status"], line["route"]) == ("GET", 200, "bench/<int:figure_id>/")
    assert line["ms"] > 0
    told = json.dumps(line)
    assert "secret" not in told
    assert "ada" not in told


@pytest.mark.parametrize("told", ["", "short", "x" * 65, 'a"b\\c-d-e-f', "új-azonosító-\n"])
def test_an_id_that_is_none_is_not_taken_over(client, arm, lines, told):
    headers = {"X-Request-ID": told.encode("unicode_escape").decode() if "\n" in told else told}
    ids = [client.get("/health", headers=headers)["X-Request-ID"] for _ in range(2)]
    assert told not in ids
    assert len({*ids}) == 2
    assert [line["request"] for line in lines] == ids
    assert asked.get() == "", "what comes after is not of this request"


def test_an_error_is_told_in_one_line_with_where_it_came_from():
    try:
        raise ValueError("of two\nlines")
    except ValueError:
        record = logging.LogRecord("studio", logging.ERROR, __file__, 1, "it went %s", ("wrong",), None)
        record.exc_info = (ValueError, ValueError("of two\nlines"), None)
    OfRequest().filter(record)
    line = AsJson().format(record)
    assert "\n" not in line
    assert (json.loads(line)["message"], json.loads(line)["request"]) == ("it went wrong", "-")
    assert "of two" in json.loads(line)["error"]
