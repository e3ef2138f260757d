"""`openstake iso17123` on tables made here; its numbers are checked in tests/core/test_iso17123.py."""

import json

import pytest
from click.testing import CliRunner

from openstake.cli import main
from tests.core.test_iso17123 import by_hand, rows

HEADER = "series,set,point,east_m,north_m,height_m\n"


def table(measured):
    lines = (f"{r.series},{r.set},{r.point},{r.east_m:.5f},{r.north_m:.5f},{r.height_m:.5f}\n" for r in measured)
    return HEADER + "".join(lines)


@pytest.fixture
def run(tmp_path):
    def do(content, *options):
        file = tmp_path / "test.csv"
        file.write_bytes(content if isinstance(content, bytes) else content.encode())
        return CliRunner().invoke(main, ["iso17123", str(file), *options])

    return do


def test_the_full_test_in_json(run):
    answer = json.loads(run(table(by_hand()), "--distance", "10", "--height-difference", "0", "--json").stdout)

    assert answer["s_xy_m"] == pytest.approx((384e-6 / 28) ** 0.5) and answer["dof_xy"] == 56
    assert answer["s_h_m"] == pytest.approx((600e-6 / 28) ** 0.5) and answer["dof_h"] == 28
    assert len(answer["distance_deviations"]) == len(answer["height_deviations"]) == 15
    assert [item["passed"] for item in answer["tests"]] == [True] * 4
    assert set(answer["tests"][0]) == {"name", "statistic", "limit", "passed", "corrected_limit", "by_chance", "passed_corrected"}
    assert [item["code"] for item in answer["findings"]] == ["iso-sigma-usual"]


def test_the_simplified_test_has_no_uncertainty_and_says_what_it_rests_on(run):
    answer = json.loads(run(table(rows(series=1)), "--sigma-xy", "0.01", "--json").stdout)
    assert answer["s_xy_m"] is None and answer["dof_h"] is None and answer["sigma_h_m"] == 0.015
    assert [item["code"] for item in answer["findings"]] == ["iso-not-independent"]


def test_a_gross_error_is_a_stop_and_exit_0(run):
    bad = table(by_hand()).replace("20.00400", "20.10400", 1)
    said = run(bad)
    assert said.exit_code == 0 and "FAILED  gross error, distance" in said.stdout and "[stop]" in said.stdout


def test_columns_come_in_any_order_with_semicolons_and_decimal_commas(run):
    lines = ["note;point;set;series;height_m;north_m;east_m"]
    lines += [f";{r.point};{r.set};{r.series};{r.height_m:.4f};{r.north_m:.4f};{r.east_m:.4f}".replace(".", ",") for r in by_hand()]
    answer = json.loads(run("\r\n".join(lines), "--json").stdout)
    assert answer["s_h_m"] == pytest.approx(0.0046291)


@pytest.mark.parametrize(
    ("content", "words"),
    [
        ("", "empty"),
        (HEADER.replace("east_m", "east_ft"), "no column east_m"),
        (HEADER, "there are 0"),
        (HEADER + "1,1,1,1.0,x,2\n", "Line 2: north_m is 'x'"),
        (HEADER + "1,1.5,1,1.0,1,2\n", "Line 2: the set is '1.5'"),
        (HEADER + "1,1,1\n", "Line 2: east_m is ''"),
        (HEADER + "1,1,3,1,1,1\n", "is not part of this test"),
        (b"\x00\x01\x02garbage", "zero bytes"),
        (table(by_hand())[:-30], "Line 31: the set is ''"),
    ],
)
def test_what_is_no_field_test_is_refused_with_its_reason(run, content, words):
    said = run(content)
    assert said.exit_code == 2
    assert words in said.output


def test_a_sigma_that_cannot_be_one_is_refused(run):
    said = run(table(by_hand()), "--sigma-xy", "8")
    assert said.exit_code == 2 and "standard deviation" in said.output
