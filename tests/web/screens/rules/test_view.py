"""Every rule is asked about once, under one question."""

from __future__ import annotations

from collections import Counter

from tarvik.exchange.night_form import RULE_FIELDS
from tarvik.web.screens.rules.view import QUESTIONS


def test_every_rule_answers_one_question() -> None:
    asked = Counter(name for question in QUESTIONS for name in question.names)
    assert asked == Counter(field.name for field in RULE_FIELDS)
    for question in QUESTIONS:
        assert question.words.endswith("?")
        assert question.why.endswith(".")
        assert [field.name for field in question.fields] == list(question.names)
