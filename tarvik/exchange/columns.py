"""The columns of the kit tables: how each cell is read from what people write, and shown again."""

from __future__ import annotations

import re
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Final

from tarvik.core.body import RATIOS, STATURE_LEAST_M, STATURE_MOST_M
from tarvik.core.errors import InputError
from tarvik.core.plain import JsonMapping, JsonObject
from tarvik.core.quantities import format_thickness, parse_thickness
from tarvik.core.rig.supports import CARRIER_KINDS
from tarvik.core.sheet import SIDE_LEAST_M, SIDE_MOST_M, TieOuts
from tarvik.core.units import Units, format_length, format_size, parse_length, parse_size

if TYPE_CHECKING:
    from collections.abc import Callable, Mapping

MOST_COUNT: Final = 500
"""Largest number of things alike in one row."""
STAKE_LENGTHS_M: Final = (0.05, 1.0)
"""Shortest and longest stake, as driven."""
STAKE_WIDTHS_MM: Final = (3, 200)
"""Narrowest and widest stake."""
MEASURED_MOST_M: Final = 3.5
"""Largest measure of a body, an arm's reach upwards."""


@dataclass(frozen=True)
class Context:
    """What reading a cell needs to know: the course's units and its people by lower-case name."""

    units: Units = Units.METRIC
    people: Mapping[str, int] = field(default_factory=dict)


Values = JsonObject


@dataclass(frozen=True)
class Column:
    """One column. `read` gives the row's values from a cell's text; `show` the text from a row's
    values. `rare`: most groups never need it, so a screen may fold it away.
    """

    key: str
    title: str
    hint: str
    read: Callable[[str, Context], Values]
    show: Callable[[JsonMapping, Context], str]
    needed: bool = False
    choices: tuple[str, ...] = ()
    aliases: tuple[str, ...] = ()
    import_only: bool = False
    wide: bool = False
    hint_feet: str = ""
    rare: bool = False

    def hint_in(self, units: str) -> str:
        """What may be typed here, as an example in the units of a course."""
        return self.hint_feet if self.hint_feet and units == Units.IMPERIAL else self.hint


def _text(key: str, most: int) -> Callable[[str, Context], Values]:
    def read(text: str, _: Context) -> Values:
        clean = " ".join(text.split())
        if len(clean) > most:
            raise InputError(key, f"{len(clean)} letters are too many; at most {most}")
        return {key: clean}

    return read


def _shown(key: str) -> Callable[[JsonMapping, Context], str]:
    return lambda row, _: str(row.get(key) or "")


def _name(text: str, _: Context) -> Values:
    clean = " ".join(text.split())
    if not clean:
        raise InputError("name", "a person needs a name")
    if len(clean) > 80:
        raise InputError("name", f"{len(clean)} letters are too many; at most 80")
    return {"name": clean}


_FEET_OR_FEET_AND_INCHES = re.compile(r"^(\d)[.,](\d{1,2})$")


def _stature(text: str, context: Context) -> Values:
    doubtful = _FEET_OR_FEET_AND_INCHES.match(text.strip())
    if context.units is Units.IMPERIAL and doubtful and int(doubtful[2]) < 12:
        feet, inches = doubtful[1], int(doubtful[2])
        raise InputError(
            "stature",
            f"“{text.strip()}”: {feet} ft {inches} in, or {feet}.{doubtful[2]} ft? Write which",
        )
    value = parse_length(
        text,
        context.units,
        field="stature",
        least_m=STATURE_LEAST_M,
        most_m=STATURE_MOST_M,
        bare_cm_above=50.0,
    )
    return {"stature_m": value}


def _measured(text: str, context: Context) -> Values:
    """Measured heights such as `sitting 0.95, shoulder 1.40`."""
    found: dict[str, float] = {}
    for part in re.split(r"[;,](?!\d)", text):
        if not part.strip():
            continue
        word, _, rest = part.strip().partition(" ")
        name = word.lower().rstrip(":=").replace("-", "_")
        name = "lowest_rib" if name == "rib" else name
        if name not in RATIOS:
            raise InputError(
                "measured",
                f"“{word[:30]}” isn't a measure; use {', '.join(RATIOS).replace('_', '-')}",
            )
        found[name] = parse_length(
            rest,
            context.units,
            field="measured",
            least_m=0.1,
            most_m=MEASURED_MOST_M,
            bare_cm_above=10.0,
        )
    return {"measured": found}


def _show_measured(row: JsonMapping, context: Context) -> str:
    measured = row.get("measured") or {}
    return ", ".join(
        f"{n.replace('_', '-')} {format_length(m, context.units)}"
        for n, m in measured.items()
    )


_STUDENTS: Final = frozenset(
    (
        "",
        "s",
        "student",
        "participant",
        "pupil",
        "trainee",
        "learner",
        "cadet",
        "guest",
        "member",
    )
)
_LEADERS: Final = frozenset(
    ("l", "leader", "assistant leader", "staff", "instructor", "guide", "teacher", "tutor")
)


def _role(text: str, _: Context) -> Values:
    clean = " ".join(text.lower().split())
    if clean in _STUDENTS:
        return {"role": "student"}
    if clean in _LEADERS:
        return {"role": "leader"}
    raise InputError("role", f"“{text.strip()[:40]}” is neither leader nor student")


def _size(text: str, context: Context) -> Values:
    width, length = parse_size(
        text, context.units, least_m=SIDE_LEAST_M, most_m=SIDE_MOST_M
    )
    return {"width_m": width, "length_m": length}


def _optional_size(text: str, context: Context) -> Values:
    return _size(text, context) if text.strip() else {}


_TIE_WORDS: Final = {
    "corner": TieOuts.CORNERS,
    "mid": TieOuts.MID_SIDES,
    "side": TieOuts.MID_SIDES,
    "third": TieOuts.THIRDS,
    "quarter": TieOuts.QUARTERS,
    "centre": TieOuts.CENTRE,
    "center": TieOuts.CENTRE,
    "ridge": TieOuts.RIDGE,
}


def _tie_outs(text: str, _: Context) -> Values:
    clean = text.strip().lower()
    if clean in ("none", "no", "no eyelets", "without", "0"):
        return {"tie_outs": [TieOuts.NONE.value]}
    if clean in ("", "corners"):
        return {"tie_outs": [TieOuts.CORNERS.value]}
    found = {TieOuts.CORNERS}
    for word in re.split(r"[,;+/&]|\band\b", clean):
        kinds = [kind for start, kind in _TIE_WORDS.items() if start in word]
        if word.strip() and not kinds:
            known = ", ".join(kind.value for kind in TieOuts)
            raise InputError(
                "tie_outs",
                f"“{word.strip()[:30]}” isn't a pattern of tie-outs; use {known}",
            )
        found.update(kinds)
    return {"tie_outs": [kind.value for kind in TieOuts if kind in found]}


def _owner(text: str, context: Context) -> Values:
    clean = " ".join(text.split())
    if not clean or clean.lower() in ("group", "group kit", "spare"):
        return {"owner_id": None}
    person = context.people.get(clean.lower())
    if person is None:
        raise InputError(
            "owner", f"nobody is called “{clean[:40]}”; leave it empty for group kit"
        )
    return {"owner_id": person}


def _show_owner(row: JsonMapping, context: Context) -> str:
    names = {number: name for name, number in context.people.items()}
    return str(row.get("owner_name") or names.get(row.get("owner_id") or 0, ""))


def _hood(text: str, context: Context) -> Values:
    if not text.strip() or text.strip().lower() in ("no", "none"):
        return {"hood_u_m": None, "hood_v_m": None}
    u, v = parse_size(text, context.units, field="hood", least_m=0.05, most_m=SIDE_MOST_M)
    return {"hood_u_m": u, "hood_v_m": v}


def _show_hood(row: JsonMapping, context: Context) -> str:
    return (
        ""
        if row.get("hood_u_m") is None
        else format_size(row["hood_u_m"], row["hood_v_m"], context.units)
    )


def whole_number(text: str) -> int:
    """A whole number of at most nine digits; -1 for anything else."""
    return int(text) if text.isdecimal() and len(text) < 10 else -1


def _count(text: str, _: Context) -> Values:
    clean = text.strip()
    if not 1 <= whole_number(clean) <= MOST_COUNT:
        raise InputError(
            "count",
            f"“{clean[:20]}” isn't a count; give a whole number from 1 to {MOST_COUNT}",
        )
    return {"count": int(clean)}


SUPPORT_KINDS: Final = ("tree", "pole", "stick", *CARRIER_KINDS)
"""Kinds of support a course keeps. Of a boat, vehicle or fence, `from` is its length and `to` its
height; of a branch, `to` is its height; of forked sticks, bipods and tripods, the length of the
legs.
"""


def _support_kind(text: str, _: Context) -> Values:
    clean = text.strip().lower().rstrip("s")
    kinds = {kind: kind for kind in SUPPORT_KINDS} | {
        "post": "tree",
        "walking pole": "pole",
        "cut stick": "stick",
        "forked post": "forked stick",
        "fork": "forked stick",
        "canoe": "boat",
        "car": "vehicle",
        "van": "vehicle",
    }
    if clean not in kinds:
        raise InputError(
            "kind", f"“{text.strip()[:30]}” isn't a support; use {', '.join(SUPPORT_KINDS)}"
        )
    return {"kind": kinds[clean]}


_RANGE: Final = re.compile(r"\s*(?:-|–|\bto\b)\s*", re.I)


def _span(text: str, context: Context) -> Values:
    clean = text.strip()
    if not clean:
        return {"least_m": None, "most_m": None}
    parts = _RANGE.split(clean)
    if len(parts) > 2:
        raise InputError(
            "length", f"“{clean[:30]}” isn't a range; write it like 105-145 cm"
        )
    unit = re.search(r"(cm|mm|m|ft|in|'|\")\s*$", parts[-1])
    if len(parts) == 2 and unit and re.fullmatch(r"[\d.,\s]+", parts[0]):
        parts[0] += unit[1]
    values = [
        parse_length(
            p, context.units, field="length", least_m=0.1, most_m=10.0, bare_cm_above=10.0
        )
        for p in parts
    ]
    if values[0] > values[-1]:
        raise InputError(
            "length", f"“{clean[:30]}” runs backwards; write the shorter length first"
        )
    return {"least_m": values[0], "most_m": values[-1]}


def _show_span(row: JsonMapping, context: Context) -> str:
    least, most = row.get("least_m"), row.get("most_m")
    if least is None or most is None:
        return ""
    if abs(least - most) < 1e-9:
        return format_length(most, context.units)
    return f"{format_length(least, context.units)} – {format_length(most, context.units)}"


def _line_length(text: str, context: Context) -> Values:
    return {
        "length_m": parse_length(
            text, context.units, field="length", least_m=0.1, most_m=200.0
        )
    }


def _stake_length(text: str, context: Context) -> Values:
    if not text.strip():
        return {"length_m": None}
    least, most = STAKE_LENGTHS_M
    return {
        "length_m": parse_length(
            text, context.units, field="length", least_m=least, most_m=most
        )
    }


def _stake_width(text: str, context: Context) -> Values:
    if not text.strip():
        return {"width_m": None}
    least, most = STAKE_WIDTHS_MM
    mm = parse_thickness(text, context.units, field="width", least_mm=least, most_mm=most)
    return {"width_m": mm / 1000}


def _show_stake_width(row: JsonMapping, context: Context) -> str:
    return (
        format_thickness(1000 * row["width_m"], context.units) if row.get("width_m") else ""
    )


def _word(
    key: str, words: Mapping[str, str], what: str
) -> Callable[[str, Context], Values]:
    """Reads one of some words; nothing means the first."""

    def read(text: str, _: Context) -> Values:
        clean = " ".join(text.lower().split())
        if clean not in ("", *words):
            raise InputError(
                key,
                (
                    f"“{text.strip()[:30]}” isn't a {what}; use "
                    f"{', '.join(dict.fromkeys(words.values()))}"
                ),
            )
        return {key: words[clean] if clean else next(iter(words.values()))}

    return read


def _yes_no(key: str, usual: bool) -> Callable[[str, Context], Values]:
    def read(text: str, _: Context) -> Values:
        clean = text.strip().lower()
        if clean not in ("", "yes", "no", "y", "n", "true", "false"):
            raise InputError(key, f"“{text.strip()[:20]}” is neither yes nor no")
        return {key: usual if not clean else clean[0] in "yt"}

    return read


def _age(text: str, _: Context) -> Values:
    clean = text.strip()
    if not clean:
        return {"age": None}
    if not 5 <= whole_number(clean) <= 110:
        raise InputError(
            "age",
            f"“{clean[:20]}” isn't an age from 5 to 110; leave it empty when it is not known",
        )
    return {"age": int(clean)}


_SHARES: Final = {
    "anyone": "anyone",
    "own patrol": "own patrol",
    "patrol": "own patrol",
    "nobody": "nobody",
    "alone": "nobody",
}
_SKILLS: Final = {
    "able": "able",
    "novice": "novice",
    "practised": "practised",
    "practiced": "practised",
}
_OWNER: Final = Column(
    "owner",
    "Belongs to",
    "a name, or empty for group kit",
    _owner,
    _show_owner,
    aliases=("owner", "person"),
)
_NOTE: Final = Column(
    "note", "Note", "anything worth knowing", _text("note", 400), _shown("note"), wide=True
)
_COUNT: Final = Column(
    "count",
    "Count",
    "1",
    _count,
    lambda row, _: str(row.get("count", 1)),
    aliases=("number", "how many"),
)


@dataclass(frozen=True)
class Table:
    """One kit table."""

    key: str
    title: str
    what: str
    empty: str
    columns: tuple[Column, ...]

    def column(self, key: str) -> Column:
        """The column of that key. Raises InputError."""
        for column in self.columns:
            if column.key == key:
                return column
        raise InputError("column", f"no column “{key[:40]}” in {self.title.lower()}")


TABLES: Final = {
    table.key: table
    for table in (
        Table(
            "people",
            "People",
            "person",
            "Nobody yet. Type a name and a height, or paste a roster from a spreadsheet.",
            (
                Column(
                    "name",
                    "Name",
                    "Given name, initial",
                    _name,
                    _shown("name"),
                    needed=True,
                    wide=True,
                ),
                Column(
                    "stature",
                    "Height",
                    "1.75 m",
                    _stature,
                    lambda row, c: (
                        format_length(row["stature_m"], c.units)
                        if row.get("stature_m")
                        else ""
                    ),
                    needed=True,
                    aliases=("stature", "tall"),
                    hint_feet="5'9\"",
                ),
                Column(
                    "role",
                    "Role",
                    "student",
                    _role,
                    lambda row, _: str(row.get("role", "student")),
                    choices=("student", "leader"),
                ),
                Column(
                    "measured",
                    "Measured",
                    "sitting 0.95",
                    _measured,
                    _show_measured,
                    hint_feet="sitting 3'1\"",
                    rare=True,
                ),
                _NOTE,
                Column(
                    "size",
                    "Own sheet",
                    "2.4 x 3 m",
                    _optional_size,
                    lambda *_: "",
                    import_only=True,
                    aliases=("sheet", "tarp", "sheet size"),
                    hint_feet="8x10 ft",
                ),
                Column(
                    "tie_outs",
                    "Tie-outs",
                    "corners, mid-sides",
                    _tie_outs,
                    lambda *_: "",
                    import_only=True,
                    aliases=("tie outs", "eyelets"),
                ),
                Column("age", "Age", "16", _age, lambda row, _: str(row.get("age") or "")),
                Column(
                    "patrol",
                    "Patrol",
                    "A",
                    _text("patrol", 40),
                    _shown("patrol"),
                    aliases=("group", "team"),
                    rare=True,
                ),
                Column(
                    "quarters",
                    "Sleeping group",
                    "such as girls, boys",
                    _text("quarters", 40),
                    _shown("quarters"),
                    aliases=("quarters",),
                ),
                Column(
                    "shares",
                    "Shares with",
                    "anyone",
                    _word("shares", _SHARES, "way of sharing"),
                    lambda row, _: str(row.get("shares") or "anyone"),
                    choices=("anyone", "own patrol", "nobody"),
                    rare=True,
                ),
                Column(
                    "skill",
                    "Skill",
                    "able",
                    _word("skill", _SKILLS, "skill"),
                    lambda row, _: str(row.get("skill") or "able"),
                    choices=("able", "novice", "practised"),
                    rare=True,
                ),
                Column(
                    "snores",
                    "Snores",
                    "no",
                    _yes_no("snores", usual=False),
                    lambda row, _: "yes" if row.get("snores") else "no",
                    choices=("no", "yes"),
                    rare=True,
                ),
                Column(
                    "lends",
                    "Lends kit",
                    "yes",
                    _yes_no("lends", usual=True),
                    lambda row, _: "no" if row.get("lends") is False else "yes",
                    choices=("yes", "no"),
                    rare=True,
                ),
            ),
        ),
        Table(
            "sheets",
            "Sheets",
            "sheet",
            "No sheets yet. Add each person's own, then the group's.",
            (
                _OWNER,
                Column(
                    "size",
                    "Size",
                    "2.4 x 3 m",
                    _size,
                    lambda row, c: (
                        format_size(row["width_m"], row["length_m"], c.units)
                        if row.get("width_m")
                        else ""
                    ),
                    needed=True,
                    aliases=("sheet", "tarp"),
                    hint_feet="8x10 ft",
                ),
                Column(
                    "tie_outs",
                    "Tie-outs",
                    "corners, mid-sides, thirds, quarters, centre, none",
                    _tie_outs,
                    lambda row, _: ", ".join(row.get("tie_outs") or ["corners"]),
                    aliases=("tie outs", "eyelets"),
                ),
                Column(
                    "hood",
                    "Hood at",
                    "0.72 x 1 m, or empty",
                    _hood,
                    _show_hood,
                    hint_feet="2'4\" x 3'3\", or empty",
                    rare=True,
                ),
                Column(
                    "material",
                    "Material",
                    "nylon",
                    _text("material", 40),
                    _shown("material"),
                ),
                _NOTE,
            ),
        ),
        Table(
            "supports",
            "Trees, poles, sticks",
            "support",
            "No supports yet: trees on the ground, poles, cut sticks, a boat.",
            (
                Column(
                    "kind",
                    "Kind",
                    "tree, pole, boat …",
                    _support_kind,
                    _shown("kind"),
                    needed=True,
                    choices=SUPPORT_KINDS,
                ),
                _COUNT,
                Column(
                    "span",
                    "Length",
                    "105-145 cm",
                    _span,
                    _show_span,
                    hint_feet="42-57 in",
                    aliases=("length", "lengths", "range"),
                ),
                _NOTE,
                _OWNER,
            ),
        ),
        Table(
            "lines",
            "Lines",
            "line",
            "No cord yet. Add ready lengths: ridge lines, guys.",
            (
                Column(
                    "length",
                    "Length",
                    "3 m",
                    _line_length,
                    lambda row, c: (
                        format_length(row["length_m"], c.units)
                        if row.get("length_m")
                        else ""
                    ),
                    needed=True,
                    hint_feet="10 ft",
                ),
                _COUNT,
                Column(
                    "uncut",
                    "Leave uncut",
                    "no",
                    _yes_no("uncut", usual=False),
                    lambda row, _: "yes" if row.get("uncut") else "no",
                    choices=("no", "yes"),
                    rare=True,
                ),
                _NOTE,
                _OWNER,
            ),
        ),
        Table(
            "stakes",
            "Stakes",
            "bag of stakes",
            "No stakes yet. A sheet takes four at least, six with comfort.",
            (
                _COUNT,
                Column(
                    "length",
                    "Length driven",
                    "20 cm, or empty",
                    _stake_length,
                    lambda row, c: (
                        format_length(row["length_m"], c.units)
                        if row.get("length_m")
                        else ""
                    ),
                    hint_feet="8 in, or empty",
                ),
                Column(
                    "width",
                    "Width",
                    "12 mm, or empty",
                    _stake_width,
                    _show_stake_width,
                    hint_feet="1/2 in, or empty",
                    aliases=("width, mm", "width mm"),
                ),
                _NOTE,
                _OWNER,
            ),
        ),
    )
}


def table_named(key: str) -> Table:
    """The table of that key. Raises InputError."""
    if key not in TABLES:
        raise InputError("table", f"no table “{key[:40]}”; there are {', '.join(TABLES)}")
    return TABLES[key]
