"""Source tables: the rows of real casters, and garbled ones."""

import json
from pathlib import Path

import pytest

from openstake.wire.ntrip.sourcetable import read_table

DATA = Path(__file__).parent.parent / "data"


def test_every_real_row_is_read_or_refused_with_a_reason():
    rows = json.loads((DATA / "ntrip_sourcetable_rows.json").read_text())
    text = "\r\n".join(";".join(["STR", *cells]) for cells in rows) + "\r\nENDSOURCETABLE\r\n"

    table = read_table(text)

    assert len(table.rows) + len(table.refused) == len(rows) == 77 and table.whole
    assert all(sentence.endswith(".") for sentence in table.refused)
    by_name = {row.mountpoint: row for row in table.rows}
    for cells in rows:
        if row := by_name.get(cells[0]):
            # RTCM 10410.1, section 8: latitude, longitude, NMEA, solution in fields 10 to 13.
            assert row.latitude_deg == float(cells[8]) and (row.needs_gga, row.network) == (cells[10] == "1", cells[11] == "1")


@pytest.mark.parametrize(
    ("line", "words"),
    [
        ("STR;", "2 fields"),
        ("STR;A;b", "fields"),
        ("STR" + ";" * 18, "no mountpoint"),
        ("STR;A" + ";" * 8 + "north;1" + ";" * 9, "latitude"),
        ("STR;A" + ";" * 8 + "95;1" + ";" * 9, "latitude of 95"),
    ],
)
def test_a_garbled_row_is_refused_and_the_next_is_read(line, words):
    good = "STR;B;town;RTCM 3.2;;2;GPS;net;IRL;53.30;353.80;1;0;x;none;B;N;9600;"

    table = read_table(f"{line}\r\nCAS;x\r\n{good}\r\n")

    assert [row.mountpoint for row in table.rows] == ["B"] and not table.whole
    assert words.replace("2 fields", "fields") in table.refused[0]
    assert table.rows[0].longitude_deg == pytest.approx(-6.2)  # some tables count to 360
