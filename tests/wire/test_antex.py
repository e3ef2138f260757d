"""ANTEX: a file made by hand after the published format (ANTEX 1.4, table in section 3: labels in columns 61 to 80)."""

import pytest

from openstake.core.errors import FileError
from openstake.wire.antex import read_antex


def line(text, label):
    return f"{text:<60}{label:<20}\n"


HEADER = line("     1.4            M", "ANTEX VERSION / SYST") + line("A", "PCV TYPE / REFANT") + line("", "END OF HEADER")


def frequency(name, north, east, up, start="START OF FREQUENCY", end="END OF FREQUENCY"):
    return (
        line(f"   {name}", start)
        + line(f"{north:10.2f}{east:10.2f}{up:10.2f}", "NORTH / EAST / UP")
        + "   NOAZI    0.00   -0.11   -0.40\n"
        + line(f"   {name}", end)
    )


def antenna(kind="HANDMADE190     NONE", serial="0007", blocks=None):
    blocks = frequency("G01", 0.44, -0.61, 62.10) + frequency("G02", -0.12, 0.30, 58.75) if blocks is None else blocks
    return (
        line("", "START OF ANTENNA")
        + line(f"{kind:<20}{serial:<20}", "TYPE / SERIAL NO")
        + line(f"{'ROBOT':<20}{'BENCH':<20}{2:6d}    {'03-OCT-26':<10}", "METH / BY / # / DATE")
        + line(f"{0.0:8.1f}", "DAZI")
        + line("     2", "# OF FREQUENCIES")
        + blocks
        + line("", "END OF ANTENNA")
    )


def test_offsets_are_read_from_their_columns_above_the_arp_in_millimetres():
    reading = read_antex((HEADER + antenna()).encode())

    found = reading.antennas[0]
    assert (found.type, found.serial, found.method, found.date) == ("HANDMADE190 NONE", "0007", "ROBOT", "03-OCT-26")
    assert found.absolute
    assert [(item.frequency, item.north_mm, item.east_mm, item.up_mm) for item in found.centres] == [
        ("G01", 0.44, -0.61, 62.10),
        ("G02", -0.12, 0.30, 58.75),
    ]


def test_standard_deviations_under_the_same_label_are_not_taken_for_offsets():
    rms = frequency("G01", 9.0, 9.0, 9.0, "START OF FREQ RMS", "END OF FREQ RMS")

    found = read_antex((HEADER + antenna(blocks=frequency("G01", 1.0, 2.0, 3.0) + rms)).encode()).antennas[0]

    assert [item.up_mm for item in found.centres] == [3.0]


def test_antennas_of_satellites_are_passed_over_and_counted():
    reading = read_antex((HEADER + antenna("BLOCK IIA", "G01") + antenna()).encode())

    assert (len(reading.antennas), reading.satellites) == (1, 1)


def test_a_relative_calibration_is_said_to_be_one():
    header = HEADER.replace("A" + " " * 59 + "PCV", "R" + " " * 59 + "PCV")

    assert not read_antex((header + antenna()).encode()).antennas[0].absolute


@pytest.mark.parametrize(
    ("blocks", "words"),
    [
        ("", "no NORTH"),
        (frequency("G01", 0, 0, 0).replace("0.00      0.00", "zero      0.00"), "three numbers"),
        (frequency("G01", 0.0, 0.0, 62100.0), "millimetres"),
    ],
)
def test_a_bad_antenna_is_refused_and_the_others_stay(blocks, words):
    reading = read_antex((HEADER + antenna(blocks=blocks) + antenna()).encode())

    assert len(reading.antennas) == 1
    assert words in reading.refused[0]


def test_a_cut_file_says_so():
    whole = HEADER + antenna() + antenna("SECOND")

    assert "arrive whole" in read_antex(whole[: len(whole) - 200].encode()).refused[0]


@pytest.mark.parametrize(
    "content", [b"", b"garbage", HEADER[:100].encode(), HEADER.encode(), (HEADER + antenna("BLOCK IIA", "G01")).encode()]
)
def test_what_is_no_antex_file_is_a_sentence(content):
    with pytest.raises(FileError) as refusal:
        read_antex(content)

    assert refusal.value.sentence.endswith(".")
