"""A static solution read out of SINEX and out of mails: what is there is found with its line, what is not is not guessed."""

import numpy as np
import pytest

from openstake.core.errors import FileError
from openstake.wire.solution import read_solution

# The blocks and columns of SINEX 2.02 (IERS, "SINEX - Solution (Software/technique) INdependent EXchange Format", sections
# SITE/ECCENTRICITY and SOLUTION/ESTIMATE), from memory; the points are invented.
SINEX = """%=SNX 2.02 ABC 26:332:00000 ABC 26:331:00000 26:331:86370 P 00006 2 S
+FILE/COMMENT
 Coordinates in ITRF2020
-FILE/COMMENT
+SITE/ECCENTRICITY
*SITE PT SOLN T DATA_START__ DATA_END____ AXE ARP->BENCHMARK(M)_________
 CS01  A    1 P 26:331:00000 26:331:86370 UNE   1.5460   0.0000   0.0000
-SITE/ECCENTRICITY
+SOLUTION/ESTIMATE
*INDEX TYPE__ CODE PT SOLN _REF_EPOCH__ UNIT S __ESTIMATED VALUE____ _STD_DEV___
     1 STAX   CS01  A    1 26:331:43200 m    2  3.87487241234500E+06 1.00000E-03
     2 STAY   CS01  A    1 26:331:43200 m    2 -4.39974567890000E+05 1.00000E-03
     3 STAZ   CS01  A    1 26:331:43200 m    2  5.03108912345600E+06 1.00000E-03
     4 VELX   CS01  A    1 26:331:43200 m/y  2 -1.40000000000000E-02 1.00000E-04
-SOLUTION/ESTIMATE
%ENDSNX
"""


def said(found, field):
    return [value.text for value in found.values if value.field == field]


def test_a_sinex_point_is_read_with_its_epoch_its_sigmas_and_its_eccentricity():
    found = read_solution(SINEX.encode(), "day331.snx")

    assert (found.kind, found.site, found.refers_to) == ("SINEX", "CS01 A 1", "mark")
    assert [said(found, axis) for axis in "xyz"] == [["3874872.41235"], ["-439974.56789"], ["5031089.12346"]]
    # Day 331 of a year of 365 days, at noon.
    assert float(said(found, "epoch")[0]) == pytest.approx(2026 + 330.5 / 365, abs=5e-5)
    # Equal standard deviations in X, Y and Z are equal in every direction.
    assert said(found, "sigma_horizontal") == said(found, "sigma_vertical") == ["0.0010 m"]
    assert said(found, "frame") == ["ITRF2020"]
    assert found.header_height == "1.5460 m up, 0.0000 m north, 0.0000 m east from the mark to the ARP"
    assert {value.field for value in found.values if value.taken} >= {"x", "y", "z", "frame", "epoch"}
    line = next(value for value in found.values if value.field == "x")
    assert SINEX.splitlines()[line.number - 1].strip() == line.line, "each value says where it stands"


def with_rows(*rows, block="SOLUTION/ESTIMATE", text=SINEX):
    """Return the file with further rows in a block, which is made where it has none."""
    if f"+{block}\n" not in text:
        text = text.replace("%ENDSNX", f"+{block}\n-{block}\n%ENDSNX")
    return text.replace(f"-{block}", "\n".join([*rows, f"-{block}"]))


def estimate(site, solution, xyz, start=5, epoch="26:331:43200", sigma="1.00000E-03", constraint=2):
    return [
        f"     {start + n} STA{axis}   {site}  A    {solution} {epoch} m    {constraint}  {value:.14E} {sigma}"
        for n, (axis, value) in enumerate(zip("XYZ", xyz, strict=True))
    ]


PLACE = (3_874_872.412345, -439_974.56789, 5_031_089.123456)


def test_of_several_points_nothing_is_taken_before_one_is_chosen():
    more = with_rows(*estimate("REF1", 1, (3.8e6, -4.0e5, 5.0e6)))
    found = read_solution(more.encode(), "two.snx")

    assert (found.site, found.values) == ("", ()) and [item.name for item in found.choices] == ["CS01 A 1", "REF1 A 1"]
    assert said(read_solution(more.encode(), "two.snx", "REF1 A 1"), "x") == ["3800000.00000"]
    with pytest.raises(FileError, match="no solution 'CS9'") as refused:
        read_solution(more.encode(), "two.snx", "CS9")
    assert refused.value.field == "site"


def test_a_second_solution_of_a_site_is_offered_beside_the_first_with_what_tells_them_apart():
    """2026-11: it took the first one's place without a word."""
    spans = (" CS01  A    1 P 26:331:00000 26:331:43170 26:331:21600", " CS01  A    2 P 26:331:43200 26:331:86370 26:331:64800")
    later = estimate("CS01", 2, (PLACE[0] + 0.03, PLACE[1], PLACE[2]), epoch="26:331:64800", sigma="4.00000E-03", constraint=0)
    two = with_rows(*spans, block="SOLUTION/EPOCHS", text=with_rows(*later))
    found = read_solution(two.encode(), "two.snx")

    assert found.values == ()
    assert [item.name for item in found.choices] == ["CS01 A 1", "CS01 A 2"]
    first, second = (item.words for item in found.choices)
    assert "not constrained" in first and "1.00000E-03" in first and "2026.9041" in first
    assert second.endswith("fixed") and "4.00000E-03" in second
    chosen = read_solution(two.encode(), "two.snx", "CS01 A 2")
    assert float(said(chosen, "x")[0]) == pytest.approx(PLACE[0] + 0.03, abs=1e-5) and said(chosen, "sigma_vertical") == ["0.0040 m"]


def test_x_of_one_solution_is_never_joined_with_y_and_z_of_another():
    half = with_rows(estimate("CS01", 2, PLACE)[0])
    assert said(read_solution(half.encode(), "half.snx"), "x") == ["3874872.41235"]
    split = SINEX.replace("STAX   CS01  A    1", "STAX   CS01  A    2")
    with pytest.raises(FileError, match="no point with STAX, STAY and STAZ"):
        read_solution(split.encode(), "split.snx")
    with pytest.raises(FileError, match="STAX of CS01 A 1 twice"):
        read_solution(with_rows(estimate("CS01", 1, PLACE)[0]).encode(), "twice.snx")


def test_the_eccentricity_is_that_of_the_epoch_with_north_and_east_and_the_antenna_is_shown():
    """The estimate is the marker (SINEX 2.02, SOLUTION/ESTIMATE): what leads to the ARP is told and never added."""
    rows = (" CS01  A ---- P 26:100:00000 26:330:86370 UNE   1.2000   0.0000   0.0000",)
    earlier = with_rows(*rows, block="SITE/ECCENTRICITY")
    found = read_solution(earlier.encode(), "two.snx")
    assert found.header_height.startswith("1.5460 m up") and "or" not in found.header_height.split()
    offset = SINEX.replace("UNE   1.5460   0.0000   0.0000", "UNE   1.5460   0.0120  -0.0030")
    found = read_solution(offset.encode(), "offset.snx")
    assert found.header_height == "1.5460 m up, 0.0120 m north, -0.0030 m east from the mark to the ARP"
    assert said(found, "x") == ["3874872.41235"], "the mark stays the mark"

    # The same vector Earth-centred, turned by hand: up is along the place itself to a tenth of a degree.
    up = np.array(PLACE) / np.linalg.norm(PLACE) * 2.0
    centred = SINEX.replace("UNE   1.5460   0.0000   0.0000", f"XYZ {up[0]:8.4f} {up[1]:8.4f} {up[2]:8.4f}")
    parts = [float(part.split()[0]) for part in read_solution(centred.encode(), "xyz.snx").header_height.split(", ")]
    assert parts[0] == pytest.approx(2.0, abs=1e-4) and abs(parts[1]) < 0.01 and abs(parts[2]) < 1e-3

    antenna = with_rows(" CS01  A ---- P 26:100:00000 00:000:00000 INVENTED-40     NONE 12345", block="SITE/ANTENNA")
    assert read_solution(antenna.encode(), "antenna.snx").antenna == "INVENTED-40 NONE"


def test_correlations_are_read_and_the_covariance_is_turned_to_east_north_up():
    """A covariance of 2, 3 and 9 mm in east, north and up is turned into X, Y, Z by hand and must come back."""
    latitude, longitude = np.radians(52.4), np.arctan2(PLACE[1], PLACE[0])
    latitude = np.arctan2(PLACE[2], np.hypot(*PLACE[:2]) * (1.0 - 0.00669438))
    sl, cl, sp, cp = np.sin(longitude), np.cos(longitude), np.sin(latitude), np.cos(latitude)
    axes = np.array([[-sl, cl, 0.0], [-sp * cl, -sp * sl, cp], [cp * cl, cp * sl, sp]])
    covariance = axes.T @ np.diag([0.002**2, 0.003**2, 0.009**2]) @ axes
    sigmas = np.sqrt(np.diag(covariance))
    correlation = covariance / np.outer(sigmas, sigmas)
    lines = SINEX
    for axis, sigma in zip("XYZ", sigmas, strict=True):
        row = next(line for line in SINEX.splitlines() if f"STA{axis}" in line)
        lines = lines.replace(row, f"{row[:-11]}{sigma:.5E}")
    corr = (
        f"     1     1  {sigmas[0]:.14E}",
        f"     2     1  {correlation[1, 0]:.14E}  {sigmas[1]:.14E}",
        f"     3     1  {correlation[2, 0]:.14E}  {correlation[2, 1]:.14E}  {sigmas[2]:.14E}",
    )
    cova = (
        f"     1     1  {covariance[0, 0]:.14E}",
        f"     2     1  {covariance[1, 0]:.14E}  {covariance[1, 1]:.14E}",
        f"     3     1  {covariance[2, 0]:.14E}  {covariance[2, 1]:.14E}  {covariance[2, 2]:.14E}",
    )
    for kind, rows in (("L CORR", corr), ("L COVA", cova)):
        found = read_solution(with_rows(*rows, block=f"SOLUTION/MATRIX_ESTIMATE {kind}", text=lines).encode(), "corr.snx")
        flat = np.hypot(0.002, 0.003) / 2**0.5
        assert float(said(found, "sigma_horizontal")[0][:-2]) == pytest.approx(flat, abs=5e-5)
        assert said(found, "sigma_vertical") == ["0.0090 m"]
    alone = read_solution(lines.encode(), "no-corr.snx")
    assert "taken as independent" in next(value.line for value in alone.values if value.field == "sigma_vertical")


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ((" m    2  3.874", " km   2  3.874"), "'km'"),
        (("3.87487241234500E+06", "3.8748724123x500E+06"), "not a number"),
        (("STAZ", "VELZ"), "no point with STAX, STAY and STAZ"),
    ],
)
def test_a_sinex_file_that_is_wrong_says_where(change, words):
    with pytest.raises(FileError, match=words):
        read_solution(SINEX.replace(*change).encode(), "wrong.snx")


MAIL = """Your file of station CS01 was processed: 5 h 12 min, 98 % of the observations used.

Reference frame: ITRF2020    Epoch: 2026-11-27
Latitude (dms)  :  N 52 24 35.91371
Longitude (dms) :  W 6:28:48.01020
Ellipsoidal height (m): 62.417 m
Orthometric height: 5.517 m
"""


def test_a_mail_gives_each_labelled_value_with_its_line():
    found = read_solution(MAIL.encode(), "mail.txt")

    assert said(found, "latitude") == ["52 24 35.91371 N"] and said(found, "longitude") == ["6 28 48.01020 W"]
    assert said(found, "height") == ["62.417 m"], "an orthometric height is none above the ellipsoid"
    assert (said(found, "frame"), said(found, "epoch")) == (["ITRF2020"], ["2026-11-27"])
    assert {value.number for value in found.values} == {3, 4, 5, 6}


def test_what_stands_twice_is_offered_twice():
    twice = MAIL + "The same in ETRS89: Latitude 52 24 35.8999 N, Longitude -6.4800\n"
    found = read_solution(twice.encode(), "mail.txt")

    assert said(found, "latitude") == ["52 24 35.91371 N", "52 24 35.8999 N"]
    assert said(found, "longitude") == ["6 28 48.01020 W", "-6.4800"]
    assert said(found, "frame") == ["ITRF2020", "ETRS89"]
    assert {value.field for value in found.values if value.taken} == {"height", "epoch"}, "of what stands twice a person takes one"


FORMS = [
    # what a mail says, the field, what is taken; degrees and metres by hand
    ("Sigma horizontal: 4 mm", "sigma_horizontal", "4 mm"),
    ("Ellipsoidal height: 205.3 usft", "height", "205.3 sft"),
    ("Ellipsoidal height: 205.3 US ft", "height", "205.3 sft"),
    ("Ellipsoidal height: −12.5 m", "height", "-12.5 m"),
    ("Latitude: −33 52 10.1", "latitude", "-33 52 10.1"),
    ("W LON 6 28 48.0", "longitude", "6 28 48.0 W"),
    ("south latitude 33.5", "latitude", "33.5 S"),
    ("Longitude: 6.48 west", "longitude", "6.48 W"),
    ("Longitude: 006-28-48.01 W", "longitude", "006 28 48.01 W"),
    ("Latitude: 52 24.598562 N", "latitude", "52 24.598562 N"),
    ("Latitude 58.25 gon N", "latitude", "52.42500000000 N"),
    ("Latitude (rad): 0.5", "latitude", "28.64788975654"),
    ("X: 3874872.412 m", "x", "3874872.412"),
]


@pytest.mark.parametrize(("line", "field", "text"), FORMS)
def test_a_value_is_taken_with_its_unit_its_sign_and_its_hemisphere(line, field, text):
    found = read_solution(f"Latitude 1 N\nLongitude 1 E\n{line}\n".encode(), "mail.txt")
    assert text in said(found, field)
    assert not next(value for value in found.values if value.text == text).problem


@pytest.mark.parametrize(
    "line",
    [
        "Ellipsoidal height: 1,605 m",
        "Ellipsoidal height: 62.417 furlongs",
        "Ellipsoidal height: 62.417 (US survey)",
        "Ellipsoidal height: 62.417 m +/- 4",
        "Latitude: -52.1 S",
        "Latitude: 52 24 35.9 N (approx.)",
        "Longitude: 6.48 N",
        "Latitude: 52 71 10",
        "Latitude: 52.5 24 10 N",
        "Longitude: W 6 28 48 E",
        "X: 3 874 872.412",
        "X: 3874872.4 ft",
        "Epoch: 2026-11-27T12:00",
    ],
)
def test_what_is_not_understood_whole_is_shown_and_not_taken(line):
    found = read_solution(f"Latitude 1 N\nLongitude 1 E\n{line}\n".encode(), "mail.txt")
    (value,) = [value for value in found.values if value.number == 3]
    assert value.problem and not value.taken and value.line == line


def test_of_two_columns_both_are_offered_with_their_headings_and_none_is_taken():
    table = (
        "                ITRF2014           ETRS89\nLatitude   52 24 35.91371   52 24 35.8999\n"
        "Longitude  -6 28 48.0102    -6 28 47.9\nEllipsoidal height  62.417 m   62.500 m\n"
    )
    found = read_solution(table.encode(), "mail.txt")
    offered = [(value.words, value.text) for value in found.values if value.field != "frame"]
    assert offered == [
        ("latitude, ITRF2014", "52 24 35.91371"),
        ("latitude, ETRS89", "52 24 35.8999"),
        ("longitude, ITRF2014", "-6 28 48.0102"),
        ("longitude, ETRS89", "-6 28 47.9"),
        ("ellipsoidal height, ITRF2014", "62.417 m"),
        ("ellipsoidal height, ETRS89", "62.500 m"),
    ]
    assert not any(value.taken for value in found.values)


@pytest.mark.parametrize(
    ("content", "words"),
    [
        (b"\0\1\2 binary", "is not text"),
        (b"", "names no latitude"),
        (b"Dear surveyor, your data could not be processed.", "names no latitude"),
        (b"X marks the spot" * 9, "names no latitude"),
        (b"x" * (5 << 20), "5.2 MB"),
        (b"\n" * 200_000, "200000 lines"),
        (b"%=SNX 2.02", "no point with"),
    ],
)
def test_what_is_no_solution_is_refused_with_a_sentence(content, words):
    with pytest.raises(FileError, match=words):
        read_solution(content, "file")
