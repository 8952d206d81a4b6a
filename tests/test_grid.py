"""Pasted and uploaded rows: every bad cell named by row and column, nothing half read."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tarvik.core.errors import InputError
from tarvik.core.units import Units
from tarvik.exchange.columns import TABLES, Context
from tarvik.exchange.grid import MOST_BYTES, MOST_ROWS, csv_text, decode, read_grid

PEOPLE, SHEETS = TABLES["people"], TABLES["sheets"]


def test_a_roster_with_a_header_in_any_order() -> None:
    grid = read_grid(
        PEOPLE,
        "Height\tName\tSheet\tShoe\n178\tAda K\t8x10 ft\t41\n5'9\"\tBo L\t\t44",
        Context(),
    )
    assert grid.good
    assert [r.values["name"] for r in grid.rows] == ["Ada K", "Bo L"]
    assert grid.rows[0].values["stature_m"] == pytest.approx(1.78)
    assert grid.rows[0].values["length_m"] == pytest.approx(3.048)
    assert "width_m" not in grid.rows[1].values
    assert grid.ignored == ("Shoe",)


@pytest.mark.parametrize(
    "text", ["Ada K\t1.70", "Ada K,1.70,student", "Ada K;1,70;leader", '"Ada K","1.70"']
)
def test_without_a_header_by_order(text: str) -> None:
    grid = read_grid(PEOPLE, text, Context())
    assert grid.good, grid.faults
    assert grid.rows[0].values["stature_m"] == pytest.approx(1.70)


def test_bad_cells_are_named_by_row_and_column() -> None:
    grid = read_grid(PEOPLE, "name,stature\nAda,1.70\n\nBo,tall\n,1.6", Context())
    assert not grid.good
    assert any("row 4" in f and "“Height”" in f for f in grid.faults)
    assert any("row 5" in f and "“Name”" in f for f in grid.faults)
    assert grid.rows[1].cells[1].text == "tall"


def test_columns_that_are_missing() -> None:
    assert (
        "there is no column “Height”"
        in read_grid(PEOPLE, "name,role\nAda,student", Context()).faults
    )


def test_sheets_know_their_owners() -> None:
    told = Context(Units.IMPERIAL, {"ada k": 7})
    grid = read_grid(SHEETS, "Ada K\t8 x 10\tcorners and quarters\nNobody\t7\tholes", told)
    assert grid.rows[0].values["owner_id"] == 7
    assert grid.rows[0].values["tie_outs"] == ["corners", "quarters"]
    assert len(grid.faults) == 2


def test_poles_and_counts() -> None:
    supports = read_grid(
        TABLES["supports"], "poles,4,105-145 cm,\ntree,9,,\nstick,2,6 ft,hazel", Context()
    )
    assert supports.good, supports.faults
    assert supports.rows[0].values["least_m"] == pytest.approx(1.05)
    assert supports.rows[0].values["most_m"] == pytest.approx(1.45)
    bad = read_grid(TABLES["supports"], "poles,0,145-105 cm", Context())
    assert len(bad.faults) == 2


def test_too_long_or_no_text_is_refused() -> None:
    for text in (
        "",
        "  \n\t\n",
        "name,stature",
        "a" * (MOST_BYTES + 1),
        "x,1.7\n" * (MOST_ROWS + 2),
        "a," * 60,
        "a\x00b",
    ):
        with pytest.raises(InputError) as refused:
            read_grid(PEOPLE, text, Context())
        assert refused.value.field == "text"
    with pytest.raises(InputError, match="file"):
        decode(b"x" * (MOST_BYTES + 1))
    assert decode("Zoë".encode("utf-16")) == "Zoë"


@given(st.text(max_size=300), st.sampled_from(list(TABLES)))
def test_any_text_is_read_or_refused(text: str, table: str) -> None:
    """Whatever is pasted, the answer is a grid with its faults named, or an InputError."""
    try:
        grid = read_grid(TABLES[table], text, Context())
    except InputError:
        return
    assert grid.good == (bool(grid.rows) and not grid.faults)
    assert all("row" in f or "column" in f for f in grid.faults)


@given(
    st.text(max_size=80),
    st.sampled_from([(t, c) for t in TABLES.values() for c in t.columns]),
)
def test_any_cell_is_read_or_refused(text: str, which: tuple[object, object]) -> None:
    column = which[1]
    try:
        values = column.read(text, Context())  # type: ignore[attr-defined]
    except InputError as err:
        assert err.message
        return
    assert isinstance(values, dict)


def test_a_spreadsheet_takes_no_formula_from_us() -> None:
    assert csv_text(["Name"], [["=1+1"], ["@x"], ["Ada"]]).splitlines() == [
        "Name",
        "'=1+1",
        "'@x",
        "Ada",
    ]


def test_lists_of_the_office_are_read_as_they_are() -> None:
    """A title over the headings, given and family names apart, the office's word for a leader."""
    text = (
        "Reed week, roster\n\nSurname,First name,Height,Role\n"
        'Zoller,Willa,168,Instructor\nYates,Xaver,"5\'11""",pupil\n'
    )
    grid = read_grid(TABLES["people"], text, Context())
    assert grid.good
    assert grid.above == ("Reed week, roster",)
    assert [row.values["name"] for row in grid.rows] == ["Willa Zoller", "Xaver Yates"]
    assert [row.values["role"] for row in grid.rows] == ["leader", "student"]


def test_each_cell_shows_how_it_was_read() -> None:
    grid = read_grid(TABLES["people"], "Name,Height\nUna,5'11\"\nTove,1.68 m\n", Context())
    told = [[cell.read for cell in row.cells] for row in grid.rows]
    assert told == [["", "1.80 m"], ["", ""]]


def test_an_odd_heading_is_asked_about() -> None:
    """Said once what it is, the column is read."""
    text = "Name,Ht\nUna,172\n"
    alone = read_grid(TABLES["people"], text, Context())
    assert alone.ignored == ("Ht",)
    told = read_grid(TABLES["people"], text, Context(), {"Ht": "stature"})
    assert not told.ignored
    assert told.rows[0].values["stature_m"] == pytest.approx(1.72)


def test_bad_rows_can_be_left_out() -> None:
    text = "Name,Height\nUna,172\nTove,tall\n,160\nSilas,180\n"
    grid = read_grid(TABLES["people"], text, Context())
    assert not grid.good
    assert [row.values["name"] for row in grid.sound] == ["Una", "Silas"]
    lacking = read_grid(TABLES["sheets"], "Owner,Note\n,old\n,new\n", Context())
    assert lacking.sound == ()
