"""A finding: one sentence with numbers, its likely cause, the next action and the source; and the list of all codes."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from enum import StrEnum

COMMON_PRACTICE = "common practice, no source"
MIXED_HEIGHTS = "Elevations were taken as ellipsoidal heights somewhere in the list, or the reverse."
CAUSES_BY = "least squares and Schwarz's criterion (from memory)"

# What stands in a sentence as a value: where several are possible, all of them.
Number = float | int | str | Sequence[float] | Sequence[str]


class Severity(StrEnum):
    """How much a finding asks of the crew, the most first."""

    STOP = "stop"
    LOOK = "look"
    NOTE = "note"


@dataclass(frozen=True)
class Rule:
    """What a code means: the link of the chain it touches, when it is said, and on whose authority.

    `differs`: it says that what is observed is not what is meant, so its link disagrees, however severe it is.  `at`: the page
    where it is mended, empty where that is its link's.
    """

    link: str
    when: str
    source: str
    differs: bool = False
    at: str = ""


RULES: dict[str, Rule] = {
    # the job's settings and its control list
    "system-lies-nowhere": Rule("local grid", "An assumed system that has no place on Earth yet.", COMMON_PRACTICE),
    "system-deprecated": Rule("local grid", "The job's EPSG code is deprecated.", "EPSG dataset"),
    "system-outside-area": Rule("local grid", "The job lies outside its system's area of use.", "EPSG dataset"),
    "system-near-edge": Rule("local grid", "The job lies within 20 km of the edge of its system's area.", COMMON_PRACTICE),
    "projection-not-conformal": Rule("local grid", "The projection's scale depends on the direction.", "EPSG Guidance Note 7-2"),
    "datum-not-said": Rule(
        "base mark", "The system is on a classical datum, and no operation into it is chosen.", "EPSG dataset", at="job?view=system"
    ),
    "datum-operation-chosen": Rule("local grid", "A datum operation chosen by name is applied to positions.", "EPSG dataset"),
    "operation-coarse": Rule("local grid", "A datum operation ten times coarser than one whose grid is not here.", "EPSG dataset"),
    "ground-factor-differs": Rule(
        "local grid", "The project's combined factor is more than 20 ppm from the one computed.", COMMON_PRACTICE, differs=True
    ),
    "foot-differs": Rule("local grid", "The job works in the other foot than its system.", "NIST SP 811", differs=True),
    "geoid-missing": Rule("control", "Marks with elevations in a job without a geoid grid.", COMMON_PRACTICE),
    "geoid-outside": Rule("control", "Marks outside the job's geoid grid.", COMMON_PRACTICE),
    "geoid-training-only": Rule("control", "The job uses the coarse geoid grid that is for training.", COMMON_PRACTICE),
    "control-duplicate-name": Rule("control", "A name of a list that is in the job or the list already.", COMMON_PRACTICE),
    "control-axes-swapped": Rule("control", "A mark that fits with its two coordinates exchanged.", COMMON_PRACTICE),
    "control-unit-mixed": Rule("control", "A mark that fits in feet or in metres, and not as read.", COMMON_PRACTICE),
    "control-height-kind": Rule(
        "control",
        "Heights of a list are of the other kind than they were taken for: the geoid's height apart, or below the sea.",
        COMMON_PRACTICE,
    ),
    "control-height-unit": Rule("control", "A height that fits among the others in the other unit.", COMMON_PRACTICE),
    "control-foot-differs": Rule("control", "A list read in the other foot: 2 ppm off.", "NIST SP 811"),
    "control-longitude-sign": Rule("control", "A mark that fits with the other sign of its longitude.", COMMON_PRACTICE),
    "control-outside-area": Rule("control", "A mark outside the system's area, or 50 km from the other marks.", COMMON_PRACTICE),
    # two ends of a link
    "link-setting-differs": Rule("link", "A setting in which two ends must agree differs.", COMMON_PRACTICE, differs=True),
    "link-setting-not-known": Rule("link", "A setting in which two ends must agree is not known at one of them.", COMMON_PRACTICE),
    "link-value-unusual": Rule("link", "A setting has a value outside the usual list.", COMMON_PRACTICE),
    "baud-rates-differ": Rule("link", "Receiver and radio of one end have different serial rates.", COMMON_PRACTICE, differs=True),
    "format-not-readable": Rule("link", "The rover does not read the base's correction format.", COMMON_PRACTICE, differs=True),
    "format-not-open": Rule("link", "A correction format that works inside one make only.", COMMON_PRACTICE),
    "messages-not-of-format": Rule(
        "broadcast", "Messages of a profile that are not of its correction format.", "RTCM 10403.3, table 3.1-1", differs=True
    ),
    "constellations-not-sent": Rule(
        "broadcast", "Constellations that the rover wants and the base does not send.", COMMON_PRACTICE, differs=True
    ),
    "mountpoint-silent": Rule("link", "A mountpoint that accepts the connection and sends nothing.", COMMON_PRACTICE),
    "position-not-sent": Rule("link", "A virtual mountpoint that was not sent a position.", "RTCM 10410.1, section 8"),
    "mountpoint-far": Rule("link", "A single base farther than 30 km.", COMMON_PRACTICE),
    "air-load-too-large": Rule("link", "The stream needs more than the link's rate.", "RTCM 10403.3, section 3.5.16"),
    "duty-too-large": Rule("link", "The stream is on the air longer than is allowed.", "RTCM 10403.3, section 3.5.16"),
    # the stream of corrections
    "no-station-position": Rule(
        "broadcast", "No 1005 or 1006 in the stream: a rover cannot place the base.", "RTCM 10403.3, section 3.5.3"
    ),
    "station-position-changed": Rule(
        "broadcast", "One station ID came with two positions or antenna heights.", COMMON_PRACTICE, differs=True
    ),
    "legacy-only": Rule("broadcast", "All observables are legacy messages: GPS and GLONASS only.", "RTCM 10403.3, table 3.1-1"),
    "constellation-missing": Rule("broadcast", "One of GPS, GLONASS, Galileo and BeiDou is not sent.", COMMON_PRACTICE),
    "no-glonass-biases": Rule("broadcast", "GLONASS is sent and message 1230 is not.", "RTCM 10403.3, section 3.5.17"),
    "reserved-bits-set": Rule("broadcast", "Frames whose reserved bits are not zero.", "RTCM 10403.3, section 4"),
    "damaged-frames": Rule("link", "Frames whose checksum fails.", "RTCM 10403.3, section 4"),
    "no-observables": Rule("broadcast", "A stream without any observables: nothing to difference.", "RTCM 10403.3, table 3.1-1"),
    "virtual-station": Rule(
        "broadcast", "The base is a computed one: it gives a position, not a vector of ours.", "RTCM 10403.3, DF141", differs=True
    ),
    "station-ids-mixed": Rule("broadcast", "Messages of several station IDs in one stream.", COMMON_PRACTICE, differs=True),
    # the rover's log
    "no-fixed-epochs": Rule("rover", "The log holds no fixed epoch.", COMMON_PRACTICE),
    "correction-age-high": Rule("link", "Corrections older than 10 s.", COMMON_PRACTICE),
    "epochs-missing": Rule("rover", "Gaps in the log.", COMMON_PRACTICE),
    "damaged-sentences": Rule("rover", "Sentences whose checksum fails or is missing.", "NMEA 0183, section 5"),
    "sentences-unreadable": Rule("rover", "Sentences whose values cannot be.", "NMEA 0183, section 5"),
    "separation-missing": Rule("rover", "GGA without geoid separation: the ellipsoidal height is not known.", "NMEA 0183, GGA"),
    "time-went-back": Rule("rover", "An epoch earlier than the one before it.", COMMON_PRACTICE),
    "rover-hears-another-base": Rule("link", "The station ID in GGA is not that of the job's base.", "NMEA 0183, GGA", differs=True),
    # the rover that is watched
    "rover-far-from-control": Rule(
        "control", "The rover is farther than 30 km from the nearest mark of the list.", COMMON_PRACTICE, at="job"
    ),
    "rover-off-by-undulation": Rule(
        "control", "The rover is above or below the marks by what the geoid lies off the ellipsoid.", COMMON_PRACTICE, at="job"
    ),
    "rover-off-by-datum": Rule(
        "control", "A standing rover is off a mark by what another datum lies off.", "EPSG dataset", differs=True, at="job"
    ),
    "position-drifted": Rule(
        "rover", "The position drifted while fixed and the pole stood, beyond what the claim allows.", COMMON_PRACTICE, differs=True
    ),
    "position-jumped": Rule(
        "rover", "The position jumped while fixed, beyond its claim and what movement allows.", COMMON_PRACTICE, differs=True
    ),
    "initialisations-agree": Rule("rover", "Two initialisations at one place agree.", COMMON_PRACTICE),
    "initialisations-disagree": Rule(
        "rover", "Two initialisations at one place differ by more than both claims allow.", COMMON_PRACTICE, differs=True
    ),
    "sources-agree": Rule("broadcast", "Two sources of corrections agree at one place.", COMMON_PRACTICE),
    "sources-disagree": Rule(
        "broadcast", "Two sources of corrections differ at one place by more than both claims allow.", COMMON_PRACTICE, differs=True
    ),
    "claim-too-small": Rule(
        "rover", "A pole that stands scatters more than the receiver's claim and chance allow.", "chi-squared test of a variance, 0.1 %"
    ),
    "fix-weak": Rule("rover", "A fix with a PDOP above 6 or fewer than six satellites.", COMMON_PRACTICE),
    "fix-far": Rule("link", "A fix farther than 40 km from a single base.", COMMON_PRACTICE),
    "distance-differs": Rule(
        "broadcast", "The rover's distance from the base on the air is not that from the base as meant.", COMMON_PRACTICE, differs=True
    ),
    "distance-beyond-plan": Rule("link", "The rover is farther from its base than the link was planned for.", COMMON_PRACTICE),
    "age-climbs": Rule("link", "The age of corrections climbs: the fix goes soon.", COMMON_PRACTICE),
    "corrections-never-heard": Rule("link", "No corrections have reached the rover since it is heard.", COMMON_PRACTICE),
    "corrections-lost": Rule("link", "Corrections reached the rover and do not any more.", COMMON_PRACTICE),
    "corrections-not-used": Rule("link", "Corrections reach the rover, and it stays single or DGPS.", COMMON_PRACTICE),
    "frames-missing": Rule("link", "Fewer frames than expected arrive at this listener.", "RTCM 10403.3, section 4"),
    "device-silent": Rule("rover", "An address at which no device answers or nothing arrives.", COMMON_PRACTICE),
    "gst-missing": Rule("rover", "A receiver that sends no GST.", "NMEA 0183, GST"),
    "gst-without-ellipse": Rule("rover", "GST without its error ellipse.", "NMEA 0183, GST"),
    "rate-too-low": Rule("rover", "Positions slower than 1 Hz.", COMMON_PRACTICE),
    "clock-off": Rule("rover", "The receiver's clock and this machine's differ by more than 2 s.", COMMON_PRACTICE),
    "two-receivers": Rule("rover", "Positions from one address jump back and forth between two places.", COMMON_PRACTICE),
    # shots
    "shots-agree": Rule("rover", "Two shots of one place from two initialisations agree.", COMMON_PRACTICE),
    "shots-disagree": Rule("rover", "Two shots of one place from two initialisations disagree.", COMMON_PRACTICE, differs=True),
    # the bench test
    "bench-agrees": Rule("link", "Both units, a taped distance apart, measure it.", COMMON_PRACTICE),
    "bench-differs": Rule("link", "Both units do not measure the taped distance.", COMMON_PRACTICE, differs=True),
    "bench-no-fix": Rule("link", "The pair did not fix on the bench.", COMMON_PRACTICE, differs=True),
    # a pole that is turned
    "pole-plumb": Rule("pole", "A pole that was turned shows no lean.", COMMON_PRACTICE),
    "pole-leans": Rule("pole", "A pole that was turned leans by more than chance gives at 95 %.", COMMON_PRACTICE, differs=True),
    "pole-never-turned": Rule("pole", "A rover pole of the job that was never turned.", COMMON_PRACTICE),
    # free of GNSS, and two set-ups
    "ground-agrees": Rule("control", "A distance or height difference measured without GNSS agrees with the shots.", COMMON_PRACTICE),
    "ground-differs": Rule(
        "control", "A distance or height difference measured without GNSS differs from the shots at 95 %.", COMMON_PRACTICE, differs=True
    ),
    "level-without-geoid": Rule("control", "A levelled height difference in a job without a geoid grid.", COMMON_PRACTICE),
    "set-ups-agree": Rule("control", "Two base set-ups agree on a point at 95 %.", "chi-squared test of two means"),
    "set-ups-differ": Rule("control", "Two base set-ups differ on a point at 95 %.", "chi-squared test of two means", differs=True),
    # a local fit
    "fit-no-redundancy": Rule("local grid", "A fit whose marks solve it with nothing left over.", COMMON_PRACTICE),
    "fit-global-test": Rule(
        "local grid", "A fit that does not agree with the sigmas of its marks.", "W. Baarda, 1968 (from memory)", differs=True
    ),
    "fit-suspect": Rule("local grid", "A mark of a fit that its residuals accuse.", "W. Baarda, 1968 (from memory)", differs=True),
    "fit-cannot-tell": Rule(
        "local grid", "A mark is accused that the data cannot tell from another.", "W. Förstner, 1983 (from memory)", differs=True
    ),
    "fit-shots-apart": Rule(
        "local grid", "Shots of one mark of the fit that lie more than two decimetres apart.", COMMON_PRACTICE, differs=True
    ),
    "fit-axes-exchanged": Rule(
        "local grid", "The local list's axes are exchanged: mirrored, all marks agree.", COMMON_PRACTICE, differs=True
    ),
    "fit-residuals-large": Rule("local grid", "A fit without sigmas leaves more than two decimetres.", COMMON_PRACTICE, differs=True),
    "fit-scale-wrong": Rule("local grid", "A free scale more than 1000 ppm from the expected one.", COMMON_PRACTICE, differs=True),
    "fit-names-exchanged": Rule("local grid", "A fit that is right once two names are exchanged.", COMMON_PRACTICE, differs=True),
    "fit-scale-off": Rule("local grid", "A free scale some tens of ppm from the expected one.", COMMON_PRACTICE),
    "fit-rotation-off": Rule("local grid", "A rotation that is not the one expected of the local north.", COMMON_PRACTICE),
    "fit-slip": Rule("local grid", "A suspected mark is off by the size of a known slip.", COMMON_PRACTICE),
    "fit-one-mark": Rule("local grid", "A fit on one mark alone: rotation and scale are taken, not measured.", COMMON_PRACTICE),
    "fit-near-line": Rule("local grid", "The marks of a fit lie nearly on one line.", COMMON_PRACTICE),
    "fit-outside-hull": Rule("local grid", "Part of the site lies outside the marks of the fit.", COMMON_PRACTICE),
    "fit-set-ups-mixed": Rule(
        "local grid", "Marks of a fit hang on several base set-ups, one of them autonomous.", COMMON_PRACTICE, differs=True
    ),
    "fit-autonomous": Rule("local grid", "A fit that hangs on an autonomous base holds for that set-up only.", COMMON_PRACTICE),
    "fit-out-of-date": Rule("local grid", "What an applied fit rests on has another value now.", COMMON_PRACTICE),
    "fit-check-differs": Rule("local grid", "A mark kept as a check that the fit misses.", COMMON_PRACTICE, differs=True),
    # re-seating a base
    "reseat-own-mark": Rule("base mark", "The known mark of a re-seat is the base's own.", COMMON_PRACTICE),
    "reseat-small": Rule("base mark", "A re-seat no larger than one fix gives.", COMMON_PRACTICE),
    "reseat-of-known": Rule("base mark", "A re-seat of a base that was entered as known.", COMMON_PRACTICE, differs=True),
    "reseat-ppm": Rule("base mark", "A re-seat of 2 ppm of the coordinates: one foot for the other.", "NIST SP 811", differs=True),
    "reseat-far": Rule("base mark", "A re-seat farther than an autonomous base is off.", COMMON_PRACTICE, differs=True),
    "reseat-only-up": Rule("base antenna", "A re-seat of the height alone.", COMMON_PRACTICE),
    "reseat-metre": Rule("base mark", "A re-seat by metres: an autonomous base, or another mark.", COMMON_PRACTICE),
    "reseat-one-epoch": Rule("base mark", "A re-seat by a single epoch.", COMMON_PRACTICE),
    "reseat-shots-differ": Rule("rover", "Shots of a re-seat that scatter beyond 99.9 % of their sigmas.", COMMON_PRACTICE, differs=True),
    "reseat-prove": Rule("control", "A re-seat that no second mark has proven yet.", COMMON_PRACTICE),
    # the field test
    "iso-gross-error": Rule("control", "A deviation of a field test beyond 2.5·√2·σ.", "ISO 17123-8 (from memory)", differs=True),
    "iso-uncertainty-larger": Rule(
        "control", "A standard uncertainty of a field test beyond what its test allows.", "ISO 17123-8 (from memory)"
    ),
    "iso-too-soon": Rule(
        "control", "A series of a field test that began less than 90 min after the one before.", "ISO 17123-8 (from memory)"
    ),
    "iso-not-independent": Rule(
        "control", "A field test without a distance or height difference measured otherwise.", "ISO 17123-8 (from memory)"
    ),
    "iso-sigma-usual": Rule("control", "A field test judged by usual sigmas, not by those of the pair.", COMMON_PRACTICE),
    # the base's height
    "impossible-slant": Rule(
        "base antenna", "A slant that is not longer than the rim's radius.", "right triangle mark, axis, rim", differs=True
    ),
    "rod-contradicted": Rule("base antenna", "A height typed for a fixed rod that is not the rod's.", COMMON_PRACTICE, differs=True),
    "digits-swapped": Rule(
        "base antenna", "Two readings that agree once two neighbouring digits change places.", COMMON_PRACTICE, differs=True
    ),
    "unit-mixed": Rule("base antenna", "A reading that fits in another unit than it was typed in.", "NIST SP 811", differs=True),
    "wrong-feature": Rule("base antenna", "Two readings that differ by a known offset of the antenna.", COMMON_PRACTICE, differs=True),
    "slant-as-vertical": Rule(
        "base antenna", "A vertical reading that fits as a slant to the rim.", "right triangle mark, axis, rim", differs=True
    ),
    "heights-disagree": Rule(
        "base antenna", "Two readings of one height that differ by more than the job's limit.", COMMON_PRACTICE, differs=True
    ),
    "height-one-unit": Rule("base antenna", "A taped height that was read in one unit only.", COMMON_PRACTICE),
    "closing-height-agrees": Rule("base antenna", "Opening and closing height agree.", COMMON_PRACTICE),
    "closing-height-differs": Rule(
        "base antenna", "Opening and closing height differ by more than the job's limit.", COMMON_PRACTICE, differs=True
    ),
    # averages of what a receiver reports
    "average-not-fixed": Rule("base mark", "An average that is not of fixed epochs: off by more than its precision says.", COMMON_PRACTICE),
    "average-mixed": Rule("base mark", "An average of epochs of several kinds of solution.", COMMON_PRACTICE),
    "average-brief": Rule("base mark", "A fixed average of less than 30 s.", COMMON_PRACTICE),
    "average-short": Rule("base mark", "An average over less than five minutes that is not fixed.", COMMON_PRACTICE),
    "average-elsewhere": Rule(
        "base mark",
        "The receiver's own average lies farther from the mark than its error explains, or nowhere near the job.",
        COMMON_PRACTICE,
        differs=True,
    ),
    "epochs-left-out": Rule("base mark", "Epochs more than six robust sigmas from the others.", COMMON_PRACTICE),
    "positions-coarse": Rule("rover", "A receiver that writes positions in steps of a millimetre and more.", "NMEA 0183, GGA"),
    # the base on the air
    "base-not-heard": Rule("broadcast", "The base's stream is not heard here: what it sends is unchecked.", COMMON_PRACTICE),
    "base-position-disagrees": Rule("broadcast", "The ARP on the air is not where it is meant to be.", COMMON_PRACTICE, differs=True),
    "base-height-not-stated": Rule(
        "base antenna", "A 1005, or a 1006 with a height of 0: no antenna height on the air.", "RTCM 10403.3, DF028"
    ),
    "base-height-field-differs": Rule(
        "base antenna", "The antenna height on the air is another one, and yet the ARP agrees.", COMMON_PRACTICE, differs=True
    ),
    "station-id-disagrees": Rule("broadcast", "The station ID on the air is not the one that is meant.", COMMON_PRACTICE, differs=True),
    "station-id-hidden": Rule("broadcast", "A station ID above 1023 does not fit GGA.", "NMEA 0183, GGA"),
    "base-autonomous": Rule(
        "base mark", "The base stands on an autonomous average: the site is metres off until it is re-seated.", COMMON_PRACTICE
    ),
    "message-missing": Rule("broadcast", "A message of the base's profile that does not come.", COMMON_PRACTICE, differs=True),
    "message-interval-differs": Rule(
        "broadcast", "A message that comes at another interval than its profile has.", COMMON_PRACTICE, differs=True
    ),
    "message-unplanned": Rule("broadcast", "A message on the air that the profile does not name.", COMMON_PRACTICE, differs=True),
    "constellation-not-sent": Rule("broadcast", "A constellation of the profile of which nothing is sent.", COMMON_PRACTICE, differs=True),
    "satellites-not-sent": Rule(
        "broadcast", "Satellites that the base sees above its mask and does not send.", COMMON_PRACTICE, differs=True
    ),
    # the base's own position
    "base-receiver-not-heard": Rule("base mark", "The base's own NMEA is not heard: where it stands is unchecked.", COMMON_PRACTICE),
    "base-receiver-far": Rule(
        "base mark", "The base's own position lies farther from its mark than it can be off.", COMMON_PRACTICE, differs=True
    ),
    "base-status-normal": Rule("base mark", "What the base's own solution status means: it need not be fixed.", "NMEA 0183, GGA"),
    # the coordinate of the base
    "base-coordinate-of-before": Rule(
        "base mark", "The mark lies elsewhere than where the base's coordinate was taken from it.", COMMON_PRACTICE, differs=True
    ),
    "mark-moved": Rule(
        "base mark", "A fresh autonomous position on a mark that has a coordinate from before.", COMMON_PRACTICE, differs=True
    ),
    "mark-differs-from-earlier": Rule(
        "base mark", "Another coordinate than the mark was occupied with before.", COMMON_PRACTICE, differs=True
    ),
    "mark-check-agrees": Rule("base mark", "A network rover's shot agrees with the mark's coordinate.", COMMON_PRACTICE),
    "mark-check-disagrees": Rule(
        "base mark", "A network rover's shot disagrees with the mark's coordinate.", COMMON_PRACTICE, differs=True
    ),
    "mark-check-not-fixed": Rule("base mark", "A shot on the mark that was not fixed throughout.", COMMON_PRACTICE),
    "solution-plausible": Rule("base mark", "A static solution within what the present coordinate may be off by.", COMMON_PRACTICE),
    "solution-slip": Rule(
        "base mark", "A static solution that fits with another sign, unit, height or frame.", COMMON_PRACTICE, differs=True
    ),
    "solution-far": Rule("base mark", "A static solution farther off than is plausible.", COMMON_PRACTICE, differs=True),
    "level-not-confirmed": Rule("base antenna", "Level and plumb were not confirmed before the start.", COMMON_PRACTICE),
    # all checks of a base together
    "cause-height": Rule("base antenna", "All checks are off by one height.", CAUSES_BY, differs=True),
    "cause-pole-height": Rule(
        "pole", "The checks measured with one rover height are off by one height, those with another agree.", CAUSES_BY, differs=True
    ),
    "cause-base-coordinate": Rule("base mark", "All checks are off by one horizontal shift.", CAUSES_BY, differs=True),
    "cause-base-on-another-mark": Rule(
        "base mark", "All checks are off by the distance between two marks: the base stands on another one.", CAUSES_BY, differs=True
    ),
    "cause-frame": Rule("base mark", "All checks are off by the shift between two frames.", CAUSES_BY, differs=True),
    "cause-foot": Rule("local grid", "All checks are off by 2 ppm of the coordinates.", CAUSES_BY, differs=True),
    "cause-one-mark": Rule("control", "One mark alone is off.", CAUSES_BY, differs=True),
    "cause-pole-on-another-mark": Rule(
        "control", "One mark is off by its distance from another: the pole stood on that.", CAUSES_BY, differs=True
    ),
    "cause-scale": Rule("local grid", "The checks are off in proportion to their distance from the base.", CAUSES_BY, differs=True),
    "cause-rotation": Rule("local grid", "The checks are turned about the base.", CAUSES_BY, differs=True),
    "cause-another-system": Rule(
        "local grid", "The checks are turned and scaled: the control is in another system.", CAUSES_BY, differs=True
    ),
    "cause-geoid": Rule("local grid", "The heights of the checks are tilted over the site.", CAUSES_BY, differs=True),
    "cause-sinking": Rule("base antenna", "The heights of the checks change steadily with time.", CAUSES_BY, differs=True),
    "cause-bumped": Rule("base mark", "Everything moved between two checks.", CAUSES_BY, differs=True),
    "cause-cannot-tell": Rule("control", "Two causes that look alike explain the checks as well.", CAUSES_BY, differs=True),
    "cause-none-fits": Rule("control", "No single cause explains the checks.", CAUSES_BY, differs=True),
    # checks on control
    "check-within-tolerance": Rule("control", "A check shot within its tolerance.", COMMON_PRACTICE),
    "check-outside-tolerance": Rule(
        "control", "A check shot outside its tolerance, horizontally and vertically.", COMMON_PRACTICE, differs=True
    ),
    "check-height-off": Rule(
        "base antenna", "Only the height of a check is off: a height was measured or typed wrongly.", COMMON_PRACTICE, differs=True
    ),
    "check-horizontal-off": Rule(
        "control", "Only the horizontal of a check is off: another mark, a leaning pole or a false fix.", COMMON_PRACTICE, differs=True
    ),
    "check-height-not-compared": Rule(
        "control", "The mark has no height that can be compared: none, or an elevation without a geoid grid there.", COMMON_PRACTICE
    ),
    "check-on-base-mark": Rule("control", "The mark checked is the mark the base stands on.", COMMON_PRACTICE),
    "check-beyond-expected": Rule(
        "control", "A check inside its tolerance and beyond 99.9 % of what the chain gives.", "chi-squared test with the chain's sigmas"
    ),
    "repeat-not-independent": Rule("rover", "A repeated check whose fix was not lost and regained in between.", COMMON_PRACTICE),
    "repeats-agree": Rule(
        "rover", "Two checks of a mark from two initialisations are equal at 95 %.", "chi-squared or Hotelling's test of two means"
    ),
    "repeats-too-short": Rule(
        "rover",
        "Two checks of a mark whose epochs remember each other for so long that equal cannot be told from unequal.",
        "Hotelling's test over the likelihood of the memory",
    ),
    "repeats-differ": Rule(
        "rover", "Two checks of a mark from two initialisations are not equal at 95 %.", "chi-squared or Hotelling's test of two means"
    ),
    "check-on-seat-mark": Rule("control", "The mark checked is the mark the base was re-seated on.", COMMON_PRACTICE),
    "check-not-fixed": Rule("rover", "The shot holds epochs that are not fixed.", COMMON_PRACTICE),
    "shot-has-gap": Rule("rover", "A shot within which the rover was silent.", COMMON_PRACTICE),
    "shot-too-short": Rule("rover", "A check averaged over less than 30 s.", COMMON_PRACTICE),
    # two crews' packages of one job
    "crews-differ-mark": Rule(
        "control", "Two crews replaced one mark of the list apart from each other.", COMMON_PRACTICE, differs=True, at="book"
    ),
    "crews-differ-base": Rule(
        "base mark", "Two crews replaced one base coordinate apart from each other.", COMMON_PRACTICE, differs=True, at="book"
    ),
    "crews-differ-antenna": Rule(
        "base antenna", "Two crews replaced one base height apart from each other.", COMMON_PRACTICE, differs=True, at="book"
    ),
    "crews-differ-pole": Rule(
        "pole", "Two crews replaced one rover height apart from each other.", COMMON_PRACTICE, differs=True, at="book"
    ),
    "crews-differ-grid": Rule(
        "local grid", "Two crews replaced one mark or choice of the fit apart from each other.", COMMON_PRACTICE, differs=True, at="book"
    ),
    "crews-differ-settings": Rule(
        "local grid", "Two crews replaced the job's settings apart from each other.", COMMON_PRACTICE, differs=True, at="book"
    ),
    "crews-differ": Rule("control", "Two crews replaced something else apart from each other.", COMMON_PRACTICE, at="book"),
    "package-unproven": Rule("control", "A job that came with a package whose rows have no hash.", COMMON_PRACTICE, at="book"),
    "virtual-base-shot": Rule(
        "rover", "The shot came from a virtual base: a position, not a vector from this base.", "RTCM 10403.3, DF141"
    ),
}


@dataclass(frozen=True)
class Finding:
    """What a rule says of a link of the chain, in the same words on the pages, in the terminal and in the Book.

    `numbers` are the values in the sentence, by name with units; `field` is the setting it is about.
    """

    code: str
    link: str
    severity: Severity
    sentence: str
    cause: str
    action: str
    source: str
    numbers: dict[str, Number]
    field: str
    is_stop: bool

    @property
    def contradicts(self) -> bool:
        """Whether its link disagrees: it says stop, or that what is observed is not what is meant."""
        return self.is_stop or RULES[self.code].differs


def finding(code: str, severity: Severity, sentence: str, cause: str, action: str, **numbers: Number) -> Finding:
    """Return a finding of a known code; a code without a rule is a broken program."""
    rule = RULES[code]
    return Finding(code, rule.link, severity, sentence, cause, action, rule.source, numbers, "", severity is Severity.STOP)


def finding_at(field: str, code: str, severity: Severity, sentence: str, cause: str, action: str, **numbers: Number) -> Finding:
    """Return a finding about one setting."""
    return replace(finding(code, severity, sentence, cause, action, **numbers), field=field)


def ranked(findings: Iterable[Finding]) -> tuple[Finding, ...]:
    """Return findings, the worst first; those of one severity stay in order."""
    order = list(Severity)
    return tuple(sorted(findings, key=lambda item: order.index(item.severity)))


def stops_of(findings: Iterable[Finding]) -> tuple[Finding, ...]:
    """Return the findings that say stop."""
    return tuple(item for item in findings if item.is_stop)


def contradicting(findings: Iterable[Finding]) -> tuple[Finding, ...]:
    """Return the findings by which something disagrees, the worst first."""
    return tuple(item for item in ranked(findings) if item.contradicts)
