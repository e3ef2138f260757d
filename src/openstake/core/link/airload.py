"""What a stream of corrections needs on the air, against what the link carries.

Every satellite with every signal is counted: the upper bound.  Source: RTCM 10403.3, field widths of sections 3.5 and 3.5.16.
"""

from __future__ import annotations

import math
import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace

from openstake.core.errors import InputError
from openstake.core.judge.finding import Finding, Severity, finding_at
from openstake.core.observation import CONSTELLATION_NAMES
from openstake.core.units import counted

FRAME_BYTES = 6  # preamble and length 3, checksum 3
MOST_CELLS = 64
POSITION_BYTES = 21 + FRAME_BYTES  # message 1006, 168 bits
# Bits of one satellite and of one cell in each form.
MSM_BITS = {"msm4": (18, 48), "msm5": (36, 63), "msm6": (18, 65), "msm7": (36, 80)}
# Bits of the header and of one satellite: 1004 for GPS, 1012 for GLONASS (from memory).
LEGACY_BITS = {"G": (64, 125), "R": (61, 130)}
# Numbers of messages: an MSM's last digit is its form's, the others its constellation's (RTCM 10403.3, table 3.5-71 and following).
_MSM_NUMBER = {"G": 1070, "R": 1080, "E": 1090, "S": 1100, "J": 1110, "C": 1120, "I": 1130}
_LEGACY_NUMBER = {"G": 1004, "R": 1012}
POSITION_NUMBER = 1006
FORMS = (*MSM_BITS, "legacy")
MOST_SATELLITES = {"legacy": 31, "msm": 64}


@dataclass(frozen=True, kw_only=True)
class Stream:
    """What a base sends: satellites by the letter of their constellation, signals of each, seconds between epochs.

    `slow` are constellations sent every second epoch only; `position_interval_s` None: no station position is counted.
    """

    form: str
    satellites: Mapping[str, int]
    signals: int
    interval_s: float
    position_interval_s: float | None = None
    slow: tuple[str, ...] = ()


@dataclass(frozen=True, kw_only=True)
class AirMessage:
    """One message in the air: its number, what it holds, how often it comes, its bytes with frames, and its share of the load."""

    number: int
    words: str
    every_s: float
    bytes: int
    bits_per_second: float
    share_of_load: float


@dataclass(frozen=True, kw_only=True)
class AirLoad:
    """What a stream needs: bytes of one epoch's observables with their frames, bits a second of all messages.

    `share` is of the link's rate, `duty` the part of the time on the air (at most 1), `latency_s` how long one epoch takes,
    `messages` what the load is made of.
    """

    bytes_per_epoch: int
    bits_per_second: float
    share: float
    duty: float
    latency_s: float
    fits: bool
    messages: tuple[AirMessage, ...]


def message_bytes(form: str, letter: str, satellites: int, signals: int) -> int:
    """Return the bytes of one constellation's observables of one epoch, frames included; InputError where there is no such.

    More than 64 cells are split into several messages of at most 64 (RTCM 10403.3, section 3.5.16.1).
    """
    if satellites == 0:
        return 0
    if form == "legacy":
        if letter not in LEGACY_BITS:
            raise InputError(f"Legacy messages carry GPS and GLONASS only: {CONSTELLATION_NAMES[letter]} needs MSM.", field="form")
        header, each = LEGACY_BITS[letter]
        return math.ceil((header + each * satellites) / 8) + FRAME_BYTES
    satellite_bits, cell_bits = MSM_BITS[form]
    at_once = MOST_CELLS // signals
    total = 0
    for start in range(0, satellites, at_once):
        some = min(at_once, satellites - start)
        bits = 169 + some * signals + some * satellite_bits + some * signals * cell_bits
        total += math.ceil(bits / 8) + FRAME_BYTES
    return total


def _check(stream: Stream, rate_bps: float) -> None:
    if stream.form not in FORMS:
        raise InputError(f"'{stream.form}' is not a form of observables; it is {', '.join(FORMS)}.", field="form")
    if not 1 <= stream.signals <= 32:
        raise InputError(f"A satellite sends 1 to 32 signals; {stream.signals} were given.", field="signals")
    if not 0.05 <= stream.interval_s <= 3600.0:
        raise InputError(f"An interval lies between 0.05 and 3600 s; {stream.interval_s:g} does not.", field="interval")
    if stream.position_interval_s is not None and not 0.05 <= stream.position_interval_s <= 86_400.0:
        raise InputError("The station position comes every 0.05 to 86400 s.", field="position_interval")
    if not 1.0 <= rate_bps <= 1e9:
        raise InputError(f"A rate of {rate_bps:g} bit/s is not the rate of a link.", field="rate")
    if not any(stream.satellites.values()):
        raise InputError("Give at least one satellite, such as G10,R8.", field="satellites")
    most = MOST_SATELLITES["legacy" if stream.form == "legacy" else "msm"]
    for letter, count in stream.satellites.items():
        if letter not in CONSTELLATION_NAMES:
            raise InputError(f"'{letter}' is not a constellation; it is one of {', '.join(CONSTELLATION_NAMES)}.", field="satellites")
        if not 0 <= count <= most:
            raise InputError(
                f"A message holds up to {most} satellites of {CONSTELLATION_NAMES[letter]}; {count} were given.", field="satellites"
            )


def air_load(stream: Stream, rate_bps: float, duty_limit: float | None = None) -> AirLoad:
    """Return what a stream needs of a link of `rate_bps` bits a second, and whether it fits."""
    _check(stream, rate_bps)
    sizes = {letter: message_bytes(stream.form, letter, count, stream.signals) for letter, count in stream.satellites.items() if count}
    epoch = sum(sizes.values())
    sent = [
        (
            _number(stream.form, letter),
            f"{CONSTELLATION_NAMES[letter]}, {counted(stream.satellites[letter], 'satellite')}",
            stream.interval_s * (2.0 if letter in stream.slow else 1.0),
            size,
        )
        for letter, size in sizes.items()
    ]
    if stream.position_interval_s is not None:
        sent.append((POSITION_NUMBER, "station position", stream.position_interval_s, POSITION_BYTES))
    per_second = sum(8.0 * size / every_s for _, _, every_s, size in sent)
    messages = tuple(
        AirMessage(
            number=number,
            words=words,
            every_s=every_s,
            bytes=size,
            bits_per_second=8.0 * size / every_s,
            share_of_load=8.0 * size / every_s / per_second,
        )
        for number, words, every_s, size in sent
    )
    share = per_second / rate_bps
    duty = min(share, 1.0)
    fits = share <= 1.0 and (duty_limit is None or duty <= duty_limit)
    return AirLoad(
        bytes_per_epoch=epoch,
        bits_per_second=per_second,
        share=share,
        duty=duty,
        latency_s=8.0 * epoch / rate_bps,
        fits=fits,
        messages=messages,
    )


def _number(form: str, letter: str) -> int:
    return _LEGACY_NUMBER[letter] if form == "legacy" else _MSM_NUMBER[letter] + int(form[-1])


@dataclass(frozen=True)
class Remedy:
    """One thing to slow or drop, in words, and what the load then is."""

    words: str
    stream: Stream
    load: AirLoad


def remedies(stream: Stream, rate_bps: float, duty_limit: float | None = None) -> list[Remedy]:
    """Return what to change when a stream does not fit, the least loss first, each on top of those before it, until it fits.

    Order: common practice, no source.
    """
    if air_load(stream, rate_bps, duty_limit).fits:
        return []
    found = []
    for words, changed in _smaller(stream):
        load = air_load(changed, rate_bps, duty_limit)
        found.append(Remedy(words, changed, load))
        if load.fits:
            break
    return found


def _smaller(now: Stream) -> Iterator[tuple[str, Stream]]:
    """Yield a stream made smaller step by step, the least loss first, with what was changed in words."""
    if now.form in ("msm5", "msm6", "msm7"):
        words = f"send MSM4 in place of {now.form.upper()}: the same accuracy on short lines"
        yield words, (now := replace(now, form="msm4"))
    if now.signals > 2:
        yield "send two signals of each satellite", (now := replace(now, signals=2))
    others = tuple(letter for letter, count in now.satellites.items() if letter != "G" and count)
    if now.satellites.get("G") and others:
        yield "send all but GPS every second epoch", (now := replace(now, slow=others))
    for interval_s in (2.0, 5.0):
        if now.interval_s < interval_s:
            words = f"send every {interval_s:g} s: the age of corrections grows with it"
            yield words, (now := replace(now, interval_s=interval_s))
    yield from _without_constellations(now)


def _without_constellations(now: Stream) -> Iterator[tuple[str, Stream]]:
    for letter in ("S", "I", "J", "C", "R", "E"):
        if now.satellites.get(letter) and sum(1 for count in now.satellites.values() if count) > 1:
            left = {key: count for key, count in now.satellites.items() if key != letter}
            words = f"leave out {CONSTELLATION_NAMES[letter]}: the rover then loses it too"
            yield words, (now := replace(now, satellites=left))


def letters_of_messages(numbers: Sequence[int]) -> frozenset[str]:
    """Return the letters of the constellations whose observables messages carry: MSM, and 1001 to 1004, 1009 to 1012."""
    by_msm = {number // 10: letter for letter, number in _MSM_NUMBER.items()}
    found = {by_msm[number // 10] for number in numbers if number // 10 in by_msm and 1 <= number % 10 <= 7}
    found |= {"G" for number in numbers if 1001 <= number <= 1004} | {"R" for number in numbers if 1009 <= number <= 1012}
    return frozenset(found)


def satellites_from_text(text: str) -> dict[str, int]:
    """Return satellites by constellation from `G10,R8,E9,C12`; InputError otherwise."""
    counts: dict[str, int] = {}
    for part in text.replace(" ", "").upper().split(","):
        match = re.fullmatch(r"([A-Z])(\d{1,3})", part)
        if match is None or match[1] not in CONSTELLATION_NAMES:
            raise InputError(f"'{part[:20]}' is not a constellation's letter and a number, such as G10.", field="satellites")
        if match[1] in counts:
            raise InputError(f"{CONSTELLATION_NAMES[match[1]]} is given twice.", field="satellites")
        counts[match[1]] = int(match[2])
    return counts


_RATES = {"bps": 1.0, "bit/s": 1.0, "b/s": 1.0, "kbps": 1e3, "kbit/s": 1e3, "kb/s": 1e3, "mbps": 1e6, "mbit/s": 1e6, "baud": 1.0}


def rate_from_text(text: str) -> float:
    """Return a rate in bits a second from `9.11kbps`, `9600 bit/s`; InputError otherwise.

    Rates of links are in kilobits: a capital B, a byte, is refused rather than taken for one or the other.
    """
    match = re.fullmatch(r"\s*(\d+(?:[.,]\d+)?)\s*([A-Za-z/]*)\s*", text)
    if match is None:
        raise InputError(f"'{text[:30]}' is not a rate. Type 9.11kbps or 9600bps.", field="rate")
    unit = match[2]
    if re.search(r"B(?!aud)", unit) or "byte" in unit.lower():
        raise InputError(f"'{unit}' is bytes. Rates of links are in bits: type kbps, after checking which is meant.", field="rate")
    if unit.lower() not in _RATES:
        raise InputError(f"'{text[:30]}' does not say whether it is bps or kbps. Type the unit.", field="rate")
    rate_bps = float(match[1].replace(",", ".")) * _RATES[unit.lower()]
    if not 1.0 <= rate_bps <= 1e9:
        raise InputError(f"A rate of {rate_bps:g} bit/s is not the rate of a link.", field="rate")
    return rate_bps


def part_from_text(text: str) -> float:
    """Return a part of one from `10%` or `0.1`; InputError outside 0 to 1."""
    match = re.fullmatch(r"\s*(\d+(?:[.,]\d+)?)\s*(%?)\s*", text)
    value = float(match[1].replace(",", ".")) / (100.0 if match[2] else 1.0) if match else math.nan
    if not 0.0 < value <= 1.0:
        raise InputError(f"'{text[:30]}' is not a part of the time. Type 10% or 0.1.", field="duty_limit")
    return value


def chirp_rate_bps(spreading_factor: int, bandwidth_hz: float, coding_denominator: int) -> float:
    """Return the rate of a chirp spread-spectrum link in bits a second: SF x BW / 2^SF x 4 / denominator (coding 4/5 to 4/8)."""
    _check_chirp(spreading_factor, bandwidth_hz, coding_denominator)
    return spreading_factor * bandwidth_hz / float(2**spreading_factor) * 4.0 / coding_denominator


def _check_chirp(spreading_factor: int, bandwidth_hz: float, coding_denominator: int) -> None:
    if not 5 <= spreading_factor <= 12:
        raise InputError(f"A spreading factor lies between 5 and 12; {spreading_factor} does not.", field="spreading_factor")
    if not 1e3 <= bandwidth_hz <= 2e6:
        raise InputError(f"A bandwidth of {bandwidth_hz:g} Hz is not a bandwidth of such a link (1 kHz to 2 MHz).", field="bandwidth")
    if not 5 <= coding_denominator <= 8:
        raise InputError("A coding rate is 4/5, 4/6, 4/7 or 4/8.", field="coding")


def chirp_time_on_air_s(
    spreading_factor: int, bandwidth_hz: float, coding_denominator: int, payload_bytes: int, preamble_symbols: int = 8
) -> float:
    """Return how long one packet of a chirp spread-spectrum link is on the air, in seconds, header and checksum included.

    (preamble + 4.25 + 8 + ceil((8 PL - 4 SF + 44) / (4 (SF - 2 DE))) x denominator) symbols of 2^SF / BW; DE is 1 where a symbol
    lasts 16 ms or more.  Source: the makers' usual formula (from memory).
    """
    _check_chirp(spreading_factor, bandwidth_hz, coding_denominator)
    if not 1 <= payload_bytes <= 255:
        raise InputError(f"A packet holds 1 to 255 bytes; {payload_bytes} were given.", field="payload")
    symbol_s = float(2**spreading_factor) / bandwidth_hz
    low_rate = 1 if symbol_s >= 0.016 else 0
    blocks = math.ceil((8 * payload_bytes - 4 * spreading_factor + 44) / (4 * (spreading_factor - 2 * low_rate)))
    return (preamble_symbols + 4.25 + 8 + max(blocks, 0) * coding_denominator) * symbol_s


def judge_load(stream: Stream, rate_bps: float, duty_limit: float | None, load: AirLoad) -> list[Finding]:
    """Say that a stream does not fit, and what to slow or drop first."""
    if load.fits:
        return []
    ways = remedies(stream, rate_bps, duty_limit)
    enough = bool(ways) and ways[-1].load.fits
    action = "; then ".join(remedy.words for remedy in ways) or "Nothing is left to drop"
    end = f": {100 * ways[-1].load.share:.0f} % of the rate then." if enough else ". Even then it does not fit: take a faster link."
    over_rate = load.share > 1.0
    what = (
        f"needs {load.bits_per_second:.0f} bit/s, {100 * load.share:.0f} % of the link's {rate_bps:.0f} bit/s"
        if over_rate
        else f"is on the air {100 * load.duty:.0f} % of the time, and {100 * (duty_limit or 0.0):.0f} % are allowed"
    )
    return [
        finding_at(
            "air_rate_bps",
            "air-load-too-large" if over_rate else "duty-too-large",
            Severity.STOP,
            f"The stream {what}.",
            "Too many satellites, signals or messages for the rate: the age grows until the fix drops."
            if over_rate
            else "Licence-free bands limit the time on the air; the regulator decides.",
            action[:1].upper() + action[1:] + end,
            bits_per_second=round(load.bits_per_second),
        )
    ]


def stream_of_messages(messages: Sequence[tuple[int, float]], satellites: Mapping[str, int], signals: int) -> Stream | None:
    """Return the stream that a profile's messages (number, interval) make; None where they hold no observables."""
    letters = {107: "G", 108: "R", 109: "E", 111: "J", 112: "C", 113: "I"}
    found: dict[str, float] = {}
    forms = set()
    for number, interval_s in messages:
        if number // 10 in letters and number % 10 in (4, 5, 6, 7):
            found[letters[number // 10]] = interval_s
            forms.add(f"msm{number % 10}")
        elif number in (1004, 1012):
            found["G" if number == 1004 else "R"] = interval_s
            forms.add("legacy")
    if not found:
        return None
    interval = min(found.values())
    # The largest form of several is the upper bound.
    form = max(forms, key=lambda item: MSM_BITS.get(item, (0, 0)))
    position = next((every for number, every in messages if number in (1005, 1006)), None)
    return Stream(
        form=form,
        satellites={letter: satellites.get(letter, 0) for letter in found},
        signals=signals,
        interval_s=interval,
        position_interval_s=position,
        slow=tuple(letter for letter, every in found.items() if every >= 2 * interval),
    )
