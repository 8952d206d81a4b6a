"""Memories tell of their use; keys have every field of a question but those named as left out."""

from __future__ import annotations

from dataclasses import dataclass, field, fields, make_dataclass, replace

import numpy as np
import pytest

from tarvik.core.body import Body
from tarvik.core.hang.hung import Hanging
from tarvik.core.kept import keep_last, key_of, memories, plain_of
from tarvik.core.pitches import PITCHES
from tarvik.core.rig.carried import Rig
from tarvik.core.search.objective import Objective
from tarvik.core.sheet import Sheet
from tarvik.core.solve import Question

QUESTION = Question(Sheet.rectangle(3, 3), PITCHES["a-frame"], {"height": 1.0})


def grown(kind: type, *, of: object, value: object) -> object:
    """The same value of the same kind with one field more."""
    added = [("more", object, field(default=None))]
    more = make_dataclass(kind.__name__, added, bases=(kind,), frozen=True)
    own = {f.name: getattr(of, f.name) for f in fields(kind)}  # type: ignore[arg-type]
    return more(**own, more=value)


@pytest.mark.parametrize(
    "of", [QUESTION, QUESTION.objective(), Body(1.8, {"sitting": 0.95})]
)
def test_a_field_that_is_added_is_part_of_the_key(of: object) -> None:
    one, same, other = (key_of(grown(type(of), of=of, value=v)) for v in (1, 1, 2))
    assert one == same
    assert one != other


@pytest.mark.parametrize("of", [Hanging(), Rig((), (), ())])
def test_a_field_that_is_added_is_part_of_what_is_written_down(of: object) -> None:
    one, other = (plain_of(grown(type(of), of=of, value=v)) for v in (1, 2))
    assert one != other


def test_every_field_of_a_question_tells_questions_apart() -> None:
    objective = QUESTION.objective()
    assert isinstance(objective, Objective)
    assert key_of(QUESTION) != key_of(replace(QUESTION, shorter=False))
    assert key_of(objective) != key_of(replace(objective, more_than=3))
    assert key_of(objective, without=("more_than",)) == key_of(
        replace(objective, more_than=3), without=("more_than",)
    )


def test_what_is_left_out_must_be_there_to_be_left_out() -> None:
    with pytest.raises(KeyError):
        key_of(QUESTION, without=("wether",))
    with pytest.raises(KeyError):
        plain_of(Hanging(), without=("wetness",))
    with pytest.raises(TypeError):
        plain_of(object())
    with pytest.raises(TypeError):
        key_of(np.zeros(3))


def test_as_good_as_the_same_is_written_down_the_same() -> None:
    assert plain_of(np.array([1.000001, -1e-9])) == plain_of([1.0, 0.0])
    assert plain_of({"b": 1, "a": 2.0}) == [["a", 2.0], ["b", 1]]


def test_a_memory_counts_and_forgets() -> None:
    asked: list[int] = []

    @keep_last(2)
    def twice(number: int) -> int:
        asked.append(number)
        return 2 * number

    assert [twice(n) for n in (1, 1, 2, 3, 1)] == [2, 2, 4, 6, 2]
    assert asked == [1, 2, 3, 1]
    (use,) = [u for u in memories() if u.name.endswith("twice")]
    assert (use.held, use.most, use.hits, use.misses) == (2, 2, 1, 4)


@dataclass
class _Listed:
    """A field that has no key by itself."""

    parts: list[int]


def test_a_list_and_a_mapping_make_keys() -> None:
    assert key_of(_Listed([1, 2])) != key_of(_Listed([2, 1]))
    assert key_of({"a": 1.0}) == key_of({"a": 1.0})
