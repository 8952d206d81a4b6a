"""Settings from the environment: read, refused kindly, and told in the docs as they are."""

from __future__ import annotations

import json
import logging
import re
from pathlib import Path

import pytest

from tarvik.logs import JsonLines
from tarvik.settings import SETTINGS, SettingError, Settings, read_settings

ROOT = Path(__file__).parent.parent


def test_the_docs_list_every_setting() -> None:
    rows = re.findall(
        r"^\| `(TARVIK_\w+)` \| (.*?) \| (.*) \|$",
        (ROOT / "docs" / "running.md").read_text(),
        re.M,
    )
    assert rows == [(s.name, s.default or "(none)", s.meaning) for s in SETTINGS]


def test_nothing_set_is_as_usual() -> None:
    assert read_settings({}) == Settings()
    assert not read_settings({"TARVIK_ADDRESS": "http://a.example/"}).tls
    assert read_settings(
        {"TARVIK_ADDRESS": "https://a.example/", "TARVIK_WORKERS": "4"}
    ).tls


@pytest.mark.parametrize(
    ("name", "text"),
    [
        ("TARVIK_WORKERS", "0"),
        ("TARVIK_WORKERS", "many"),
        ("TARVIK_POOL", "65"),
        ("TARVIK_RATE", "-1"),
        ("TARVIK_ADDRESS", "ftp://x"),
        ("TARVIK_LOG", "xml"),
        ("TARVIK_WAIT", "1.5"),
    ],
)
def test_a_bad_setting_is_named(name: str, text: str) -> None:
    with pytest.raises(SettingError, match=name):
        read_settings({name: text})


def test_a_log_line_is_json_without_values() -> None:
    """An error's kind and places, not what it said: that may hold a name."""
    try:
        raise ValueError("Ada Lovelace, born on a Tuesday")
    except ValueError as err:
        record = logging.LogRecord(
            "tarvik",
            logging.ERROR,
            "x.py",
            1,
            "it\nbroke",
            None,
            (type(err), err, err.__traceback__),
        )
    line = JsonLines().format(record)
    told = json.loads(line)
    assert (
        "\n" not in line
        and told["words"] == "it\nbroke"
        and told["error"] == "ValueError"
        and "Tuesday" not in line
    )
    assert any("test_settings.py" in place for place in told["where"])


def test_every_test_named_in_the_security_table_exists() -> None:
    """docs/security.md names tests by file and function."""
    for file, name in re.findall(
        r"`([\w/]+\.py)::(\w+)`", (ROOT / "docs" / "security.md").read_text()
    ):
        assert f"def {name}(" in (ROOT / "tests" / file).read_text(), (file, name)
    for file in re.findall(
        r"`([\w/]+\.py)[:`]", (ROOT / "docs" / "security.md").read_text()
    ):
        assert (ROOT / "tests" / file).exists() or (ROOT / "tarvik" / file).exists(), file
