"""Height readings: reduction by hand-worked triangles, sigmas against Monte Carlo, and the slips that people make."""

import json
import random
from itertools import product

import numpy as np
import pytest
from click.testing import CliRunner

from openstake.cli import main
from openstake.core.antenna import HeightSigmas, MeasuredTo, TypedReading, arp_height_m, mean_height
from openstake.core.errors import InputError
from openstake.core.judge.height import KnownAntenna, judge_completeness, judge_heights, judge_opening_and_closing, swapped_texts
from openstake.core.units import METRES_PER_UNIT, metres_from_text
from tests.repeats import repeats

BOTTOM = MeasuredTo(name="bottom", label="Bottom of mount", method="vertical")
RIM = MeasuredTo(name="rim", label="Rim", method="slant", rim_radius_m=0.12, feature_to_arp_m=0.03)
NOTCH = MeasuredTo(name="notch", label="Notch", method="vertical", rim_radius_m=0.0, feature_to_arp_m=0.0345)
ROD = MeasuredTo(name="rod", label="Fixed 2.000 m rod", method="rod", fixed_height_m=2.0)
A_HUNDREDTH_OF_A_MILLIMETRE = 1e-5


def typed(text, to=BOTTOM, unit="m"):
    return TypedReading(text=text, reading_m=metres_from_text(text, unit), to=to, bare_unit=unit)


def codes(findings):
    return [item.code for item in findings]


@pytest.mark.parametrize(
    ("slant", "radius", "offset", "height"),
    [
        (0.5, 0.3, 0.0, 0.4),  # 3-4-5
        (1.3, 0.5, 0.03, 1.23),  # 5-12-13, the ARP 3 cm above the rim
        (1.7, 0.8, -0.02, 1.48),  # 8-15-17, the ARP 2 cm below it
    ],
)
def test_slants_reduce_as_right_triangles_do(slant, radius, offset, height):
    assert arp_height_m(
        slant, MeasuredTo(name="rim", label="Rim", method="slant", rim_radius_m=radius, feature_to_arp_m=offset)
    ) == pytest.approx(height, abs=1e-12)


def test_readings_that_cannot_be_are_refused_with_a_sentence():
    with pytest.raises(InputError, match="not longer than the rim's radius"):
        arp_height_m(0.12, RIM)
    with pytest.raises(InputError, match="Check the unit"):
        arp_height_m(1532.0, BOTTOM)


def test_propagated_sigmas_agree_with_monte_carlo():
    random = np.random.default_rng(5)
    n, tape, radius, offset = 400_000, 0.002, 0.0015, 0.001
    # A low tripod, where the radius matters: slants of 0.400 m and 0.402 m to a rim of 0.2 m, and a vertical one.
    rim = MeasuredTo(name="rim", label="Rim", method="slant", rim_radius_m=0.2, feature_to_arp_m=0.03)
    r = 0.2 + random.normal(0.0, radius, n)
    o = random.normal(0.0, offset, (2, n))
    slants = np.array([[0.400], [0.402]]) + random.normal(0.0, tape, (2, n))
    vertical = 0.376 + random.normal(0.0, tape, n) + o[1]
    trials = (np.sqrt(slants**2 - r**2).sum(axis=0) + 2 * (0.03 + o[0]) + vertical) / 3.0

    found = mean_height(
        [TypedReading(text="", reading_m=metres, to=to) for metres, to in ((0.400, rim), (0.402, rim), (0.376, BOTTOM))],
        HeightSigmas(tape, radius, offset),
    )

    # A sample standard deviation of 400 000 trials is known to 0.11 % (one sigma); the curvature adds less.
    assert found.sigma_m == pytest.approx(np.std(trials), rel=0.006)
    assert found.arp_height_m == pytest.approx(np.mean(trials), abs=2e-5)


@pytest.mark.parametrize("thousand", [1, *(pytest.param(n, marks=pytest.mark.slow) for n in (0, *range(2, 10)))])
@pytest.mark.parametrize("other", ["m", pytest.param("ft", marks=pytest.mark.slow)])
def test_any_two_neighbouring_digits_that_change_places_are_named(thousand, other):
    """All neighbours of all four-digit readings: the second reading is true, the first has two digits swapped."""
    thousands = range(1000 * thousand, 1000 * thousand + 1000)
    for value in random.Random(thousand).sample(thousands, min(1000, repeats(1000))):
        number = f"{value:04d}"
        true = f"{number[0]}.{number[1:]} m"
        metres = float(true[:-2])
        second = true if other == "m" else f"{metres / METRES_PER_UNIT['ft']:.3f} ft"
        for place in range(3):
            digits = list(number)
            digits[place], digits[place + 1] = digits[place + 1], digits[place]
            wrong = f"{digits[0]}.{''.join(digits[1:])} m"
            if wrong == true or float(wrong[:-2]) == 0.0 or metres == 0.0:
                continue

            (found,) = judge_heights([typed(wrong), typed(second)])

            assert found.code == "digits-swapped", (wrong, second)
            assert f"{true} in place of '{wrong}'" in found.sentence
            # A fact of the trade (common practice, no source): 9 times a power of ten times a digit, in millimetres.
            millimetres = round(abs(float(wrong[:-2]) - metres) * 1000)
            assert millimetres in {9 * power * digit for power, digit in product((1, 10, 100), range(1, 10))}


def test_a_swap_reaches_across_the_decimal_mark():
    assert swapped_texts("1.532 m") == ["5.132 m", "1.352 m", "1.523 m"]


@pytest.mark.parametrize(
    ("readings", "antenna", "code", "words"),
    [
        (["1.532 m", "5.026 ft"], None, None, ""),
        (["1.532 m", "1.535 m"], None, None, ""),
        (["1.532 m", "1.536 m"], None, "heights-disagree", "differ by 0.004 m"),
        (["5.026 m", "1.532 m"], None, "unit-mixed", "5.026 ft in place of '5.026 m'"),
        (["1.532 ft", "5.026 ft"], None, "unit-mixed", "1.532 m in place of '1.532 ft'"),
        # A third reading decides which of the two was wrong.
        (["1.352 m", "1.532 m", "5.027 ft"], None, "digits-swapped", "likely 1.532 m in place of '1.352 m'."),
        # The notch lies 34.5 mm below the ARP: 1.4975 m to it is 1.532 m at the ARP.
        (["1.4975 m", "1.532 m"], KnownAntenna([BOTTOM, NOTCH]), "wrong-feature", "to: notch"),
        # 1.5068 m slant to a rim of 0.12 m, 0.03 m below the ARP: √(1.5068² − 0.12²) + 0.03 = 1.53201 m.
        (["1.5068 m", "1.532 m"], KnownAntenna([BOTTOM, RIM]), "slant-as-vertical", "to: rim"),
        (["1.5945 m", "1.532 m"], KnownAntenna([BOTTOM], 0.0625), "wrong-feature", "phase centre"),
    ],
)
def test_each_slip_is_named_with_what_was_likely_meant(readings, antenna, code, words):
    found = judge_heights([typed(text) for text in readings], antenna)

    assert codes(found) == ([code] if code else [])
    assert not code or words in found[0].sentence


def test_a_rod_that_is_contradicted_and_a_lone_reading_in_an_odd_unit_are_asked_about():
    assert codes(judge_heights([typed("1.800 m", ROD)])) == ["rod-contradicted"]
    assert judge_heights([typed("2.001 m", ROD)]) == []
    (found,) = judge_heights([typed("5.026 m")])
    assert (found.code, found.severity.value) == ("unit-mixed", "look")
    assert judge_heights([typed("1.1 m")]) == []
    (found,) = judge_heights([typed("1.532", unit="ft")])
    assert "1.532 m would put it" in found.sentence


def test_one_unit_alone_is_noted_and_a_rod_needs_no_second_reading():
    assert codes(judge_completeness([typed("1.532 m")])) == ["height-one-unit"]
    assert judge_completeness([typed("1.532 m"), typed("5 ft 0 5/16 in")]) == []
    assert judge_completeness([typed("2 m", ROD)]) == []


def test_opening_and_closing_heights_are_compared_with_the_limit():
    assert judge_opening_and_closing(1.532, 1.535).code == "closing-height-agrees"
    sunk = judge_opening_and_closing(1.532, 1.528)
    assert sunk.code == "closing-height-differs" and "0.004 m smaller" in sunk.sentence


def run(*arguments, code=0):
    result = CliRunner().invoke(main, ["height", *arguments])
    assert result.exit_code == code, result.output
    return json.loads(result.output) if code == 0 else result.output


def test_the_terminal_reduces_readings_and_says_what_does_not_fit():
    found = run(
        "--reading", "1.3m", "--reading", "1.302m", "--kind", "slant", "--rim-radius", "0.5m", "--feature-to-arp", "-0.03m", "--json"
    )
    # √(1.3² − 0.5²) = 1.2 and √(1.302² − 0.5²) = 1.202167 (by hand), less 0.03.
    assert found["arp_height_m"] == pytest.approx((1.17 + 1.172167) / 2, abs=1e-6)
    assert found["spread_m"] == pytest.approx(0.002167, abs=1e-6)
    # ∂h/∂s = 1.3/1.2: each 1.083 mm, their mean 0.766 mm.
    assert found["sigma_m"] == pytest.approx(0.001 * 1.3 / 1.2 / 2**0.5, abs=A_HUNDREDTH_OF_A_MILLIMETRE)
    assert len(found["readings"]) == 2 and found["findings"] == []

    swapped = run("--reading", "1.523m", "--reading", "5.026ft", "--kind", "vertical", "--json")
    assert swapped["findings"][0]["code"] == "digits-swapped"
    assert swapped["findings"][0]["numbers"]["likely_arp_height_m"] == 1.532
    impossible = run("--reading", "0.1m", "--kind", "slant", "--rim-radius", "0.12m", "--json")
    assert impossible["arp_height_m"] is None and impossible["findings"][0]["code"] == "impossible-slant"


@pytest.mark.parametrize(
    ("arguments", "words"),
    [
        (["--reading", "1.532", "--kind", "vertical"], "has no unit"),
        (["--reading", "1532m", "--kind", "vertical"], "Check the unit"),
        (["--reading", "1.5m", "--kind", "slant"], "needs the rim's radius"),
        (["--reading", "1.5m", "--kind", "vertical", "--sigma", "-1mm"], "cannot be negative"),
    ],
)
def test_the_terminal_refuses_what_it_would_have_to_guess(arguments, words):
    assert words in run(*arguments, code=2)


def at(text, read_s, who="ab", unit="m", to=BOTTOM):
    return TypedReading(text=text, reading_m=metres_from_text(text, unit), to=to, bare_unit=unit, who=who, read_s=read_s)


@pytest.mark.parametrize(
    ("second", "looks"),
    [
        (at("1.532 m", 20.0), 1),
        (at("1.533", 59.0), 1),
        (at("1.532 m", 61.0), 2),  # a minute later the tape is read again
        (at("5.026 ft", 20.0), 2),  # the other unit is another number to read
        (at("1.532 m", 20.0, who="cd"), 2),
        (at("1.532 m", 20.0, to=NOTCH), 2),
        (typed("1.532 m"), 2),  # nobody knows when
    ],
)
def test_two_readings_by_one_person_in_one_unit_in_one_minute_are_one_look(second, looks):
    found = mean_height([at("1.532 m", 0.0), second], HeightSigmas(0.001))

    # By hand: one look leaves 1 mm, two leave 1/√2 mm (common practice, no source, for what a look is).
    assert (found.count, found.looks) == (2, looks)
    assert found.sigma_m == pytest.approx(0.001 / looks**0.5, rel=1e-9)


@pytest.mark.parametrize(
    ("readings", "code", "likely"),
    [
        # 2026-11-27: 3.3 mm of noise; 1.5357 for 1.5375 leaves 1.5 mm of it, nearly half, and explains nothing.
        (["1.5342", "1.5375"], "heights-disagree", None),
        (["1.532", "1.523"], "digits-swapped", ["1.532", "1.523"]),
        (["5.026 m", "1.532 m"], "unit-mixed", ["5.026 ft"]),
        (["1.546 m", "1.564 m"], "digits-swapped", ["1.546 m", "1.564 m"]),
        (["1.352 m", "1.532 m", "5.027 ft"], "digits-swapped", ["1.532 m"]),
    ],
)
def test_a_cause_is_named_only_where_it_explains_and_alike_in_every_order(readings, code, likely):
    for order in (readings, readings[::-1]):
        (found,) = judge_heights([typed(text) for text in order])

        assert found.code == code
        assert sorted(found.numbers.get("likely", [])) == sorted(likely or [])
    assert judge_heights([typed(text) for text in readings]) == judge_heights([typed(text) for text in readings[::-1]])


def test_no_sigma_is_claimed_while_readings_contradict_each_other():
    found = run("--reading", "1.546m", "--reading", "1.564m", "--kind", "vertical", "--json")

    assert found["sigma_m"] is None and found["spread_m"] == pytest.approx(0.018, abs=1e-9)
