"""A static solution read out of SINEX and out of mails: what is there is found with its line, what is not is not guessed."""

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

    assert (found.kind, found.site) == ("SINEX", "CS01")
    assert [said(found, axis) for axis in "xyz"] == [["3874872.41235"], ["-439974.56789"], ["5031089.12346"]]
    # Day 331 of a year of 365 days, at noon.
    assert float(said(found, "epoch")[0]) == pytest.approx(2026 + 330.5 / 365, abs=5e-5)
    # Equal standard deviations in X, Y and Z are equal in every direction.
    assert said(found, "sigma_horizontal") == said(found, "sigma_vertical") == ["0.0010 m"]
    assert said(found, "frame") == ["ITRF2020"]
    assert found.header_height == "1.5460 m from the mark up to the ARP"
    assert {value.field for value in found.values if value.taken} >= {"x", "y", "z", "frame", "epoch"}
    line = next(value for value in found.values if value.field == "x")
    assert SINEX.splitlines()[line.number - 1].strip() == line.line, "each value says where it stands"


def test_of_several_points_one_must_be_named():
    more = SINEX.replace("-SOLUTION/ESTIMATE", "\n".join(
        f"     {n} STA{axis}   REF1  A    1 26:331:43200 m    2  {value} 1.00000E-03" for n, axis, value in ((5, "X", "3.8E+06"), (6, "Y", "-4.0E+05"), (7, "Z", "5.0E+06"))
    ) + "\n-SOLUTION/ESTIMATE")  # fmt: skip

    with pytest.raises(FileError, match="holds 2 points: CS01, REF1") as refused:
        read_solution(more.encode(), "two.snx")
    assert refused.value.field == "site"
    assert said(read_solution(more.encode(), "two.snx", "REF1"), "x") == ["3800000.00000"]
    with pytest.raises(FileError, match="no point 'CS9'"):
        read_solution(more.encode(), "two.snx", "CS9")


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ((" m    2  3.874", " km   2  3.874"), "'km'"),
        (("3.87487241234500E+06", "3.8748724123x500E+06"), "no number"),
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
    assert {value.field for value in found.values if value.taken} == {"height", "epoch"}, (
        "of what stands twice a person takes one"
    )


@pytest.mark.parametrize(
    ("content", "words"),
    [
        (b"\0\1\2 binary", "is no text"),
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
