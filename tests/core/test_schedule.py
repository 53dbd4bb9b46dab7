"""What says what it reads and writes is put in order: written before changed, changed before read."""

from __future__ import annotations

from dataclasses import dataclass
from graphlib import TopologicalSorter

from hypothesis import given, settings
from hypothesis import strategies as st

from kunstgriff.figure.schedule import scheduled


@dataclass(frozen=True)
class Job:
    name: str
    reads: frozenset[str] = frozenset()
    writes: frozenset[str] = frozenset()


def job(name: str, reads: str = "", writes: str = "") -> Job:
    return Job(name, frozenset(reads), frozenset(writes))


def test_a_name_is_written_then_changed_then_read_whatever_the_order_they_are_listed_in():
    reader, second, writer = job("reader", "a"), job("change 1", "a", "a"), job("writer", "", "a")
    third = job("change 2", "a", "a")
    order, circles = scheduled([reader, second, third, writer])
    assert [one.name for one in order] == ["writer", "change 1", "change 2", "reader"]
    assert circles == ()


def test_what_does_not_depend_on_one_another_stays_as_listed():
    jobs = [job("c", "x", "y"), job("a", "p", "q"), job("b", "m", "n")]
    assert scheduled(jobs)[0] == tuple(jobs)


def test_a_circle_is_told_and_broken_at_its_first():
    one, two, aside = job("one", "b", "a"), job("two", "a", "b"), job("aside", "a")
    order, circles = scheduled([aside, one, two])
    assert [sorted(each.name for each in circle) for circle in circles] == [["one", "two"]]
    assert [each.name for each in order] == ["one", "two", "aside"] or order[-1] is not one


@given(st.lists(st.tuples(st.sets(st.integers(0, 8)), st.integers(0, 8)), max_size=12))
@settings(max_examples=200, deadline=None)
def test_the_order_is_a_topological_one_whenever_there_is_one(listed):
    # each job writes one name and reads some: the graph of them, sorted by the standard library
    jobs = [
        Job(str(n), frozenset(f"{k}" for k in reads if k != writes), frozenset({f"{writes}"}))
        for n, (reads, writes) in enumerate(listed)
    ]
    graph = {
        n: {m for m, other in enumerate(jobs) if m != n and other.writes & one.reads} for n, one in enumerate(jobs)
    }
    order, circles = scheduled(jobs)
    assert sorted(one.name for one in order) == sorted(one.name for one in jobs)
    try:
        tuple(TopologicalSorter(graph).static_order())
    except ValueError:
        assert circles
        return
    assert circles == ()
    place = {one.name: k for k, one in enumerate(order)}
    assert all(place[str(m)] < place[str(n)] for n, before in graph.items() for m in before)
