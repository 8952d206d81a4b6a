"""Pasted or uploaded rows: read whole, every bad cell named by row and column, nothing half
imported.
"""

from __future__ import annotations

import csv
import io
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Final, NamedTuple

from tarvik.core.errors import InputError

if TYPE_CHECKING:
    from collections.abc import Mapping

    from tarvik.core.plain import JsonMapping, JsonObject
    from tarvik.exchange.columns import Column, Context, Table

MOST_BYTES: Final = 200_000
MOST_ROWS: Final = 400
MOST_COLUMNS: Final = 24
MOST_CELL: Final = 400
FORMULA_STARTS: Final = ("=", "+", "-", "@", "\t", "\r")


@dataclass(frozen=True)
class Cell:
    """One cell as typed, what is wrong with it, and how it was read where that looks otherwise
    ("" when nothing is, or it does not).
    """

    text: str
    fault: str = ""
    read: str = ""


@dataclass(frozen=True)
class GridRow:
    """One row: the line it stood on (counted from 1), its cells in column order, its values."""

    line: int
    cells: tuple[Cell, ...]
    values: JsonMapping
    whole: bool = True

    @property
    def good(self) -> bool:
        """Whether nothing is wrong with it."""
        return self.whole and not any(cell.fault for cell in self.cells)


@dataclass(frozen=True)
class Grid:
    """A whole paste. `faults` are sentences with row and column; importing needs none of them, or
    none but those of rows that are left out. `ignored`: headings that are no column's, `above`:
    lines over the heading.
    """

    columns: tuple[Column, ...]
    rows: tuple[GridRow, ...]
    faults: tuple[str, ...]
    ignored: tuple[str, ...] = ()
    above: tuple[str, ...] = ()
    lacking: bool = False

    @property
    def good(self) -> bool:
        """Whether all of it can be imported."""
        return bool(self.rows) and not self.faults

    @property
    def sound(self) -> tuple[GridRow, ...]:
        """The rows that can be imported where those with a fault are left out."""
        return () if self.lacking else tuple(row for row in self.rows if row.good)


def decode(raw: bytes) -> str:
    """Text of an uploaded file. Raises InputError when it is too large or no text."""
    if len(raw) > MOST_BYTES:
        raise InputError(
            "file",
            f"the file has {len(raw):,} bytes; at most {MOST_BYTES:,}: split it into smaller ones",
        )
    for encoding in (
        ("utf-8-sig", "utf-16")
        if raw[:2] in (b"\xff\xfe", b"\xfe\xff")
        else ("utf-8-sig", "cp1252")
    ):
        try:
            return raw.decode(encoding)
        except UnicodeDecodeError:
            continue
    raise InputError("file", "the file isn't text; save it as CSV (UTF-8)")


def _split(text: str) -> list[list[str]]:
    if len(text.encode()) > MOST_BYTES:
        raise InputError(
            "text",
            (
                f"the text has {len(text):,} letters; at most {MOST_BYTES:,}: split it into "
                "smaller ones"
            ),
        )
    if "\x00" in text:
        raise InputError(
            "text", "the text holds characters that aren't text; save it as CSV (UTF-8)"
        )
    first = next((line for line in text.splitlines() if line.strip()), "")
    delimiter = next((d for d in ("\t", ";", ",") if d in first), ",")
    try:
        lines = list(csv.reader(io.StringIO(text), delimiter=delimiter))
    except csv.Error as err:
        raise InputError(
            "text", f"the table cannot be read ({err}); check its quotation marks"
        ) from None
    if sum(any(cell.strip() for cell in line) for line in lines) > MOST_ROWS + 1:
        raise InputError(
            "text", f"more than {MOST_ROWS} rows; import them in smaller parts"
        )
    widest = max((len(line) for line in lines), default=0)
    if widest > MOST_COLUMNS:
        raise InputError("text", f"a row has {widest} columns; at most {MOST_COLUMNS}")
    return lines


def _word(cell: str) -> str:
    return " ".join(cell.lower().replace("_", " ").split())


def _header(
    table: Table, cells: list[str], headings: Mapping[str, str]
) -> dict[int, Column] | None:
    """Column at each place when the row is a header, else None. `headings`: column keys by headings
    that somebody said what they are.
    """
    found: dict[int, Column] = {}
    by_key = {column.key: column for column in table.columns}
    for place, cell in enumerate(cells):
        word = _word(cell)
        told = by_key.get(headings.get(cell.strip(), ""))
        if word and told is not None:
            found[place] = told
            continue
        for column in table.columns:
            words = (column.key.replace("_", " "), column.title.lower(), *column.aliases)
            if word and word in words:
                found[place] = column
    enough = max(1, min(2, sum(c.needed for c in table.columns)))
    wordy = not any(letter.isdigit() for cell in cells for letter in cell)
    if len(found) >= enough or (found and wordy and len(cells) > 1):
        return found
    return None


GIVEN: Final = frozenset(("first name", "given name", "forename", "first"))
FAMILY: Final = frozenset(("surname", "last name", "family name", "last"))
ABOVE_MOST: Final = 5
"""So many lines may stand over the heading: a title, a date, who made the list."""

_Lines = list[tuple[int, list[str]]]


def _one_name(lines: _Lines) -> _Lines:
    """A given name and a family name in two columns made one, headed Name, where they are."""
    words = [_word(cell) for cell in lines[0][1]]
    given = next((i for i, word in enumerate(words) if word in GIVEN), None)
    family = next((i for i, word in enumerate(words) if word in FAMILY), None)
    if given is None or family is None or "name" in words:
        return lines
    out: _Lines = []
    for number, line in lines:
        cells = [*line, *[""] * (len(words) - len(line))]
        both = " ".join(
            part for part in (cells[given].strip(), cells[family].strip()) if part
        )
        cells[given] = "Name" if not out else both
        del cells[family]
        out.append((number, cells))
    return out


class UnderTitles(NamedTuple):
    """A table under its heading: the rows, the columns it names, and the lines over it."""

    rows: _Lines
    columns: dict[int, Column] | None
    above: tuple[str, ...]


def _under_titles(table: Table, filled: _Lines, headings: Mapping[str, str]) -> UnderTitles:
    """The rows under the heading, the columns it names, and the lines over it; all rows and no
    columns where there is no heading.
    """
    for at in range(min(ABOVE_MOST + 1, len(filled))):
        lines = _one_name(filled[at:])
        header = _header(table, lines[0][1], headings)
        if header is not None:
            above = (
                ", ".join(c.strip() for c in line if c.strip()) for _, line in filled[:at]
            )
            return UnderTitles(lines, header, tuple(above))
    return UnderTitles(filled, None, ())


def read_grid(
    table: Table, text: str, context: Context, headings: Mapping[str, str] | None = None
) -> Grid:
    """Read pasted or uploaded text for a table, with or without a header row; tabs, semicolons or
    commas. `headings`: columns by headings that are none of the table's own.

    Raises InputError when the text as a whole cannot be read (too long, no rows); faults of cells
    are in the result.
    """
    lines = _split(text)
    filled = [
        (number, line)
        for number, line in enumerate(lines, start=1)
        if any(cell.strip() for cell in line)
    ]
    if not filled:
        raise InputError(
            "text",
            f"there are no rows; paste one {table.what} a row, columns parted by tabs or commas",
        )
    filled, header, above = _under_titles(table, filled, headings or {})
    ignored: list[str] = []
    if header is not None:
        ignored = [
            c.strip() for i, c in enumerate(filled[0][1]) if c.strip() and i not in header
        ]
        filled = filled[1:]
        if not filled:
            raise InputError("text", "there is a header but no row under it")
    by_place = header or dict(enumerate(table.columns))
    columns = tuple(by_place[i] for i in sorted(by_place))
    missing = [c.title for c in table.columns if c.needed and c not in columns]
    faults = [f"there is no column “{title}”" for title in missing]
    rows = [_row(number, line, by_place, context, faults) for number, line in filled]
    if header is None:
        for n, (number, line) in enumerate(filled):
            extra = sum(bool(cell.strip()) for cell in line[len(table.columns) :])
            if extra:
                faults.append(f"row {number}: {extra} more cells than there are columns")
                rows[n] = replace(rows[n], whole=False)
    return Grid(columns, tuple(rows), tuple(faults), tuple(ignored), above, bool(missing))


def _row(
    number: int,
    line: list[str],
    by_place: Mapping[int, Column],
    context: Context,
    faults: list[str],
) -> GridRow:
    cells: list[Cell] = []
    values: JsonObject = {}
    for place in sorted(by_place):
        column = by_place[place]
        text = line[place].strip() if place < len(line) else ""
        try:
            if len(text) > MOST_CELL:
                raise InputError(
                    column.key, f"{len(text)} letters are too many; at most {MOST_CELL}"
                )
            read = column.read(text, context) if text or column.needed else {}
            values.update(read)
            shown = column.show(read, context) if read else ""
            cells.append(Cell(text[:MOST_CELL], "", shown if shown != text else ""))
        except InputError as err:
            cells.append(Cell(text[:MOST_CELL], err.message))
            faults.append(f"row {number}, column “{column.title}”: {err.message}")
    return GridRow(number, tuple(cells), values)


def csv_text(header: list[str], rows: list[list[str]]) -> str:
    """CSV for download. Cells that a spreadsheet would take for a formula are marked as text."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\r\n")
    writer.writerow(header)
    for row in rows:
        writer.writerow(
            [f"'{cell}" if cell.startswith(FORMULA_STARTS) else cell for cell in row]
        )
    return out.getvalue()
