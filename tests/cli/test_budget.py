"""`openstake budget` as it is called."""

import json

import pytest
from click.testing import CliRunner

from openstake.cli import main


def run(*words):
    return CliRunner().invoke(main, ["budget", *words])


def test_the_budget_in_json_has_every_number_of_the_contract():
    found = json.loads(run("--baseline", "2.5km", "--json").output)

    assert set(found) == {"horizontal_95_m", "vertical_95_m", "terms"}
    assert [set(term) for term in found["terms"]] == [{"name", "horizontal_m", "vertical_m", "source"}] * 10
    # 2.4477 and 1.9600 times the root sum of squares, as the contract has it.
    for name, factor in (("horizontal", 2.4477), ("vertical", 1.9600)):
        total = sum(term[f"{name}_m"] ** 2 for term in found["terms"]) ** 0.5
        assert found[f"{name}_95_m"] == pytest.approx(factor * total, rel=2e-5)


def test_terms_are_set_and_the_base_coordinate_counts_absolutely():
    relative = json.loads(run("--baseline", "800 m", "--json").output)
    absolute = json.loads(run("--baseline", "800 m", "--absolute", "--set", "base_coordinate.horizontal=2", "--json").output)

    assert relative["terms"][0] == {
        "name": "base_coordinate",
        "horizontal_m": 0.0,
        "vertical_m": 0.0,
        "source": relative["terms"][0]["source"],
    }
    assert absolute["terms"][0]["horizontal_m"] == 2.0 and absolute["horizontal_95_m"] > 4.8
    assert "lean of the pole" in run("--baseline", "3000 ft").output


@pytest.mark.parametrize(
    ("words", "sentence"),
    [
        (("--baseline", "far"), "far"),
        (("--baseline=-5 m",), "A baseline is 0 to"),
        (("--baseline", "9999km"), "A baseline is 0 to"),
        (("--baseline", "1km", "--set", "vector=1"), "--set is TERM"),
        (("--baseline", "1km", "--set", "luck.horizontal=1"), "--set is TERM"),
        (("--baseline", "1km", "--set", "vector.horizontal=-1"), "A sigma lies"),
    ],
)
def test_what_cannot_be_used_ends_with_a_sentence(words, sentence):
    done = run(*words)
    assert done.exit_code == 2 and sentence in done.output and "Traceback" not in done.output
