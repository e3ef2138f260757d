"""`openstake fit` on tables made here; its numbers are checked in tests/core/test_localfit.py."""

import json

import pytest
from click.testing import CliRunner

from openstake.cli import main

HEADER = "name,local_e_m,local_n_m,local_h_m,gnss_e_m,gnss_n_m,gnss_h_m,use\n"
# A site grid turned by a right angle: E_local = 5000 − (N − 629800), N_local = 5000 + (E − 703400); heights 57 m lower.
SQUARE = [("A", 0, 0), ("B", 100, 0), ("C", 100, 100), ("D", 0, 100), ("E", 50, 50)]


def table(marks=SQUARE, use="hv", **off):
    lines = []
    for name, east, north in marks:
        e, n, h = off.get(name, (0.0, 0.0, 0.0))
        lines.append(f"{name},{5000 - north + e:.4f},{5000 + east + n:.4f},{10 + h:.4f},{703400 + east},{629800 + north},67,{use}")
    return HEADER + "\n".join(lines) + "\n"


@pytest.fixture
def run(tmp_path):
    def do(content, *options):
        file = tmp_path / "pairs.csv"
        file.write_bytes(content if isinstance(content, bytes) else content.encode())
        return CliRunner().invoke(main, ["fit", str(file), *options])

    return do


def test_a_fit_in_json_has_every_number_of_the_contract(run):
    answer = json.loads(run(table(), "--json").stdout)

    flat = answer["horizontal"]
    assert (flat["scale"], flat["rotation_deg"]) == pytest.approx((1.0, 90.0), abs=1e-9)
    assert (flat["a"], flat["b"]) == pytest.approx((0.0, 1.0), abs=1e-9)
    assert flat["shift_e_m"] == pytest.approx(5000 + 629800) and flat["shift_n_m"] == pytest.approx(5000 - 703400)
    assert (flat["redundancy"], flat["variance_factor"]) == (6, None) and flat["sigma0_m"] == pytest.approx(0.0, abs=1e-9)
    up = answer["vertical"]
    assert (up["model"], up["redundancy"]) == ("constant", 4) and up["constant_m"] == pytest.approx(-57.0)
    assert set(answer["points"][0]) == {
        "name",
        "use",
        "residual_e_m",
        "residual_n_m",
        "residual_h_m",
        "left_out_e_m",
        "left_out_n_m",
        "left_out_h_m",
        "standardised",
    }
    assert set(answer["points"][0]["standardised"]) == {"east", "north", "up"}
    assert answer["proj_pipeline"].startswith("+proj=affine")


def test_scale_and_vertical_model_are_chosen(run):
    held = json.loads(run(table(), "--scale", "1.0001", "--vertical", "plane", "--json").stdout)
    assert held["horizontal"]["scale"] == pytest.approx(1.0001) and held["horizontal"]["redundancy"] == 7
    assert held["vertical"]["slope_east_ppm"] == pytest.approx(0.0, abs=1e-6)
    assert json.loads(run(table(), "--scale", "one", "--vertical", "none", "--json").stdout)["vertical"] is None
    assert run(table(), "--scale", "wide").exit_code == 2


def test_a_blunder_is_named_and_a_check_mark_keeps_its_difference(run):
    noise = {"A": (0.002, -0.001, 0.0), "B": (-0.001, 0.002, 0.001), "C": (0.001, 0.0, -0.001), "E": (0.0, -0.002, 0.001)}
    said = run(table(**noise, D=(0.2, 0.0, 0.0)))
    assert said.exit_code == 0 and "D is suspected horizontally" in said.stdout and "fit-suspect" in said.stdout

    lines = table(**noise).splitlines()
    lines[5] = lines[5].replace("hv", "check").replace("4950.0000", "4950.3000")
    answer = json.loads(run("\n".join(lines), "--json").stdout)
    point = answer["points"][4]
    assert point["use"] == "check" and point["residual_e_m"] == pytest.approx(-0.3, abs=0.01)
    assert point["residual_e_m"] == point["left_out_e_m"]
    assert "fit-check-differs" in [item["code"] for item in answer["findings"]]


def test_suspects_are_listed_with_whether_the_data_can_tell(run):
    answer = json.loads(run(table(SQUARE[:3], C=(0.3, 0.1, 0.0)), "--scale", "one", "--json").stdout)
    assert all(not item["can_tell"] for item in answer["suspects"])
    assert {"name", "component", "can_tell", "sentence"} == set((answer["suspects"] or [{"name", "component", "can_tell", "sentence"}])[0])


@pytest.mark.parametrize(
    ("content", "words"),
    [
        (b"", "empty"),
        (b"\x00\xff\xfe garbage", "not a text file"),
        ("name,use\nA,hv\n", "no column local_e_m"),
        (HEADER + "A,1,2,3,4,5,6,everything\n", "Line 2: use is 'everything'"),
        (HEADER + "A,1,2,3,4,five,6,hv\n", "Line 2: gnss_n_m is 'five'"),
        (HEADER + "A,1,2,3,4,5,6,hv\nA,1,2,3,4,5,6,hv\n", "Line 3: A is there already, in line 2"),
        (HEADER + "A,1,2,3,4,5,6,hv\n", "at least 2 marks"),
    ],
)
def test_what_is_no_table_of_pairs_ends_with_a_sentence(run, content, words):
    answer = run(content)
    assert answer.exit_code == 2 and words in answer.output
