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


@dataclass(frozen=True, kw_only=True)
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
    "system-lies-nowhere": Rule(link="local grid", when="An assumed system that has no place on Earth yet.", source=COMMON_PRACTICE),
    "system-deprecated": Rule(link="local grid", when="The job's EPSG code is deprecated.", source="EPSG dataset"),
    "system-outside-area": Rule(link="local grid", when="The job lies outside its system's area of use.", source="EPSG dataset"),
    "system-near-edge": Rule(link="local grid", when="The job lies within 20 km of the edge of its system's area.", source=COMMON_PRACTICE),
    "projection-not-conformal": Rule(
        link="local grid", when="The projection's scale depends on the direction.", source="EPSG Guidance Note 7-2"
    ),
    "datum-not-said": Rule(
        link="base mark",
        when="The system is on a classical datum, and no operation into it is chosen.",
        source="EPSG dataset",
        at="job?view=system",
    ),
    "datum-operation-chosen": Rule(
        link="local grid", when="A datum operation chosen by name is applied to positions.", source="EPSG dataset"
    ),
    "operation-coarse": Rule(
        link="local grid", when="A datum operation ten times coarser than one whose grid is not here.", source="EPSG dataset"
    ),
    "ground-factor-differs": Rule(
        link="local grid",
        when="The project's combined factor is more than 20 ppm from the one computed.",
        source=COMMON_PRACTICE,
        differs=True,
    ),
    "foot-differs": Rule(link="local grid", when="The job works in the other foot than its system.", source="NIST SP 811", differs=True),
    "geoid-missing": Rule(link="control", when="Marks with elevations in a job without a geoid grid.", source=COMMON_PRACTICE),
    "geoid-outside": Rule(link="control", when="Marks outside the job's geoid grid.", source=COMMON_PRACTICE),
    "geoid-training-only": Rule(link="control", when="The job uses the coarse geoid grid that is for training.", source=COMMON_PRACTICE),
    "control-duplicate-name": Rule(link="control", when="A name of a list that is in the job or the list already.", source=COMMON_PRACTICE),
    "control-axes-swapped": Rule(link="control", when="A mark that fits with its two coordinates exchanged.", source=COMMON_PRACTICE),
    "control-unit-mixed": Rule(link="control", when="A mark that fits in feet or in metres, and not as read.", source=COMMON_PRACTICE),
    "control-height-kind": Rule(
        link="control",
        when="Heights of a list are of the other kind than they were taken for: the geoid's height apart, or below the sea.",
        source=COMMON_PRACTICE,
    ),
    "control-height-unit": Rule(link="control", when="A height that fits among the others in the other unit.", source=COMMON_PRACTICE),
    "control-foot-differs": Rule(link="control", when="A list read in the other foot: 2 ppm off.", source="NIST SP 811"),
    "control-longitude-sign": Rule(link="control", when="A mark that fits with the other sign of its longitude.", source=COMMON_PRACTICE),
    "control-outside-area": Rule(
        link="control", when="A mark outside the system's area, or 50 km from the other marks.", source=COMMON_PRACTICE
    ),
    # two ends of a link
    "link-setting-differs": Rule(link="link", when="A setting in which two ends must agree differs.", source=COMMON_PRACTICE, differs=True),
    "link-setting-not-known": Rule(
        link="link", when="A setting in which two ends must agree is not known at one of them.", source=COMMON_PRACTICE
    ),
    "link-value-unusual": Rule(link="link", when="A setting has a value outside the usual list.", source=COMMON_PRACTICE),
    "baud-rates-differ": Rule(
        link="link", when="Receiver and radio of one end have different serial rates.", source=COMMON_PRACTICE, differs=True
    ),
    "format-not-readable": Rule(
        link="link", when="The rover does not read the base's correction format.", source=COMMON_PRACTICE, differs=True
    ),
    "format-not-open": Rule(link="link", when="A correction format that works inside one make only.", source=COMMON_PRACTICE),
    "messages-not-of-format": Rule(
        link="broadcast",
        when="Messages of a profile that are not of its correction format.",
        source="RTCM 10403.3, table 3.1-1",
        differs=True,
    ),
    "constellations-not-sent": Rule(
        link="broadcast", when="Constellations that the rover wants and the base does not send.", source=COMMON_PRACTICE, differs=True
    ),
    "mountpoint-silent": Rule(link="link", when="A mountpoint that accepts the connection and sends nothing.", source=COMMON_PRACTICE),
    "position-not-sent": Rule(link="link", when="A virtual mountpoint that was not sent a position.", source="RTCM 10410.1, section 8"),
    "mountpoint-far": Rule(link="link", when="A single base farther than 30 km.", source=COMMON_PRACTICE),
    "air-load-too-large": Rule(link="link", when="The stream needs more than the link's rate.", source="RTCM 10403.3, section 3.5.16"),
    "duty-too-large": Rule(link="link", when="The stream is on the air longer than is allowed.", source="RTCM 10403.3, section 3.5.16"),
    # the stream of corrections
    "no-station-position": Rule(
        link="broadcast", when="No 1005 or 1006 in the stream: a rover cannot place the base.", source="RTCM 10403.3, section 3.5.3"
    ),
    "station-position-changed": Rule(
        link="broadcast", when="One station ID came with two positions or antenna heights.", source=COMMON_PRACTICE, differs=True
    ),
    "legacy-only": Rule(
        link="broadcast", when="All observables are legacy messages: GPS and GLONASS only.", source="RTCM 10403.3, table 3.1-1"
    ),
    "constellation-missing": Rule(link="broadcast", when="One of GPS, GLONASS, Galileo and BeiDou is not sent.", source=COMMON_PRACTICE),
    "no-glonass-biases": Rule(link="broadcast", when="GLONASS is sent and message 1230 is not.", source="RTCM 10403.3, section 3.5.17"),
    "reserved-bits-set": Rule(link="broadcast", when="Frames whose reserved bits are not zero.", source="RTCM 10403.3, section 4"),
    "damaged-frames": Rule(link="link", when="Frames whose checksum fails.", source="RTCM 10403.3, section 4"),
    "no-observables": Rule(
        link="broadcast", when="A stream without any observables: nothing to difference.", source="RTCM 10403.3, table 3.1-1"
    ),
    "virtual-station": Rule(
        link="broadcast",
        when="The base is a computed one: it gives a position, not a vector from your own base.",
        source="RTCM 10403.3, DF141",
        differs=True,
    ),
    "station-ids-mixed": Rule(
        link="broadcast", when="Messages of several station IDs in one stream.", source=COMMON_PRACTICE, differs=True
    ),
    # the rover's log
    "no-fixed-epochs": Rule(link="rover", when="The log holds no fixed epoch.", source=COMMON_PRACTICE),
    "correction-age-high": Rule(link="link", when="Corrections older than 10 s.", source=COMMON_PRACTICE),
    "epochs-missing": Rule(link="rover", when="Gaps in the log.", source=COMMON_PRACTICE),
    "damaged-sentences": Rule(link="rover", when="Sentences whose checksum fails or is missing.", source="NMEA 0183, section 5"),
    "sentences-unreadable": Rule(link="rover", when="Sentences whose values cannot be.", source="NMEA 0183, section 5"),
    "separation-missing": Rule(
        link="rover", when="GGA without geoid separation: the ellipsoidal height is not known.", source="NMEA 0183, GGA"
    ),
    "time-went-back": Rule(link="rover", when="An epoch earlier than the one before it.", source=COMMON_PRACTICE),
    "rover-hears-another-base": Rule(
        link="link", when="The station ID in GGA is not that of the job's base.", source="NMEA 0183, GGA", differs=True
    ),
    # the rover that is watched
    "rover-far-from-control": Rule(
        link="control", when="The rover is farther than 30 km from the nearest mark of the list.", source=COMMON_PRACTICE, at="job"
    ),
    "rover-off-by-undulation": Rule(
        link="control",
        when="The rover is above or below the marks by what the geoid lies off the ellipsoid.",
        source=COMMON_PRACTICE,
        at="job",
    ),
    "rover-off-by-datum": Rule(
        link="control", when="A standing rover is off a mark by what another datum lies off.", source="EPSG dataset", differs=True, at="job"
    ),
    "position-drifted": Rule(
        link="rover",
        when="The position drifted while fixed and the pole stood, beyond what the claim allows.",
        source=COMMON_PRACTICE,
        differs=True,
    ),
    "position-jumped": Rule(
        link="rover",
        when="The position jumped while fixed, beyond its claim and what movement allows.",
        source=COMMON_PRACTICE,
        differs=True,
    ),
    "initialisations-agree": Rule(link="rover", when="Two initialisations at one place agree.", source=COMMON_PRACTICE),
    "initialisations-disagree": Rule(
        link="rover", when="Two initialisations at one place differ by more than both claims allow.", source=COMMON_PRACTICE, differs=True
    ),
    "sources-agree": Rule(link="broadcast", when="Two sources of corrections agree at one place.", source=COMMON_PRACTICE),
    "sources-disagree": Rule(
        link="broadcast",
        when="Two sources of corrections differ at one place by more than both claims allow.",
        source=COMMON_PRACTICE,
        differs=True,
    ),
    "claim-too-small": Rule(
        link="rover",
        when="A pole that stands scatters more than the receiver's claim and chance allow.",
        source="chi-squared test of a variance, 0.1 %",
    ),
    "fix-weak": Rule(link="rover", when="A fix with a PDOP above 6 or fewer than six satellites.", source=COMMON_PRACTICE),
    "fix-far": Rule(link="link", when="A fix farther than 40 km from a single base.", source=COMMON_PRACTICE),
    "distance-differs": Rule(
        link="broadcast",
        when="The rover's distance from the base on the air is not that from the base as meant.",
        source=COMMON_PRACTICE,
        differs=True,
    ),
    "distance-beyond-plan": Rule(
        link="link", when="The rover is farther from its base than the link was planned for.", source=COMMON_PRACTICE
    ),
    "age-climbs": Rule(link="link", when="The age of corrections climbs: the fix will soon be lost.", source=COMMON_PRACTICE),
    "corrections-never-heard": Rule(
        link="link", when="No corrections have reached the rover since it has been heard.", source=COMMON_PRACTICE
    ),
    "corrections-lost": Rule(link="link", when="Corrections reached the rover and no longer do.", source=COMMON_PRACTICE),
    "corrections-not-used": Rule(link="link", when="Corrections reach the rover, and it stays single or DGPS.", source=COMMON_PRACTICE),
    "frames-missing": Rule(link="link", when="Fewer frames than expected arrive at this listener.", source="RTCM 10403.3, section 4"),
    "device-silent": Rule(link="rover", when="An address at which no device answers or nothing arrives.", source=COMMON_PRACTICE),
    "gst-missing": Rule(link="rover", when="A receiver that sends no GST.", source="NMEA 0183, GST"),
    "gst-without-ellipse": Rule(link="rover", when="GST without its error ellipse.", source="NMEA 0183, GST"),
    "rate-too-low": Rule(link="rover", when="Positions slower than 1 Hz.", source=COMMON_PRACTICE),
    "clock-off": Rule(link="rover", when="The receiver's clock and this machine's differ by more than 2 s.", source=COMMON_PRACTICE),
    "two-receivers": Rule(link="rover", when="Positions from one address jump back and forth between two places.", source=COMMON_PRACTICE),
    # shots
    "shots-agree": Rule(link="rover", when="Two shots of one place from two initialisations agree.", source=COMMON_PRACTICE),
    "shots-disagree": Rule(
        link="rover", when="Two shots of one place from two initialisations disagree.", source=COMMON_PRACTICE, differs=True
    ),
    # the bench test
    "bench-agrees": Rule(link="link", when="Both units, a taped distance apart, measure it.", source=COMMON_PRACTICE),
    "bench-differs": Rule(link="link", when="Both units do not measure the taped distance.", source=COMMON_PRACTICE, differs=True),
    "bench-no-fix": Rule(link="link", when="The pair did not fix on the bench.", source=COMMON_PRACTICE, differs=True),
    # a pole that is turned
    "pole-plumb": Rule(link="pole", when="A pole that was turned shows no lean.", source=COMMON_PRACTICE),
    "pole-leans": Rule(
        link="pole", when="A pole that was turned leans by more than chance gives at 95 %.", source=COMMON_PRACTICE, differs=True
    ),
    "pole-never-turned": Rule(link="pole", when="A rover pole of the job that was never turned.", source=COMMON_PRACTICE),
    # free of GNSS, and two set-ups
    "ground-agrees": Rule(
        link="control", when="A distance or height difference measured without GNSS agrees with the shots.", source=COMMON_PRACTICE
    ),
    "ground-differs": Rule(
        link="control",
        when="A distance or height difference measured without GNSS differs from the shots at 95 %.",
        source=COMMON_PRACTICE,
        differs=True,
    ),
    "level-without-geoid": Rule(link="control", when="A levelled height difference in a job without a geoid grid.", source=COMMON_PRACTICE),
    "set-ups-agree": Rule(link="control", when="Two base set-ups agree on a point at 95 %.", source="chi-squared test of two means"),
    "set-ups-differ": Rule(
        link="control", when="Two base set-ups differ on a point at 95 %.", source="chi-squared test of two means", differs=True
    ),
    # a local fit
    "fit-no-redundancy": Rule(link="local grid", when="A fit whose marks solve it with nothing left over.", source=COMMON_PRACTICE),
    "fit-global-test": Rule(
        link="local grid",
        when="A fit that does not agree with the sigmas of its marks.",
        source="W. Baarda, 1968 (from memory)",
        differs=True,
    ),
    "fit-suspect": Rule(
        link="local grid", when="A mark of a fit that its residuals point to.", source="W. Baarda, 1968 (from memory)", differs=True
    ),
    "fit-cannot-tell": Rule(
        link="local grid",
        when="A suspect mark that the data cannot tell from another.",
        source="W. Förstner, 1983 (from memory)",
        differs=True,
    ),
    "fit-shots-apart": Rule(
        link="local grid",
        when="Shots of one mark of the fit that lie more than two decimetres apart.",
        source=COMMON_PRACTICE,
        differs=True,
    ),
    "fit-axes-exchanged": Rule(
        link="local grid", when="The local list's axes are exchanged: mirrored, all marks agree.", source=COMMON_PRACTICE, differs=True
    ),
    "fit-residuals-large": Rule(
        link="local grid", when="A fit without sigmas leaves more than two decimetres.", source=COMMON_PRACTICE, differs=True
    ),
    "fit-scale-wrong": Rule(
        link="local grid", when="A free scale more than 1000 ppm from the expected one.", source=COMMON_PRACTICE, differs=True
    ),
    "fit-names-exchanged": Rule(
        link="local grid", when="A fit that is right once two names are exchanged.", source=COMMON_PRACTICE, differs=True
    ),
    "fit-scale-off": Rule(link="local grid", when="A free scale some tens of ppm from the expected one.", source=COMMON_PRACTICE),
    "fit-rotation-off": Rule(link="local grid", when="A rotation that is not the one expected of the local north.", source=COMMON_PRACTICE),
    "fit-slip": Rule(link="local grid", when="A suspected mark is off by the size of a known slip.", source=COMMON_PRACTICE),
    "fit-one-mark": Rule(
        link="local grid", when="A fit on one mark alone: rotation and scale are taken, not measured.", source=COMMON_PRACTICE
    ),
    "fit-near-line": Rule(link="local grid", when="The marks of a fit lie nearly on one line.", source=COMMON_PRACTICE),
    "fit-outside-hull": Rule(link="local grid", when="Part of the site lies outside the marks of the fit.", source=COMMON_PRACTICE),
    "fit-set-ups-mixed": Rule(
        link="local grid",
        when="Marks of a fit depend on several base set-ups, one of them autonomous.",
        source=COMMON_PRACTICE,
        differs=True,
    ),
    "fit-autonomous": Rule(
        link="local grid", when="A fit that depends on an autonomous base holds for that set-up only.", source=COMMON_PRACTICE
    ),
    "fit-out-of-date": Rule(link="local grid", when="What an applied fit rests on has another value now.", source=COMMON_PRACTICE),
    "fit-check-differs": Rule(link="local grid", when="A mark kept as a check that the fit misses.", source=COMMON_PRACTICE, differs=True),
    # re-seating a base
    "reseat-own-mark": Rule(link="base mark", when="The known mark of a re-seat is the base's own.", source=COMMON_PRACTICE),
    "reseat-small": Rule(link="base mark", when="A re-seat no larger than one fix gives.", source=COMMON_PRACTICE),
    "reseat-of-known": Rule(link="base mark", when="A re-seat of a base that was entered as known.", source=COMMON_PRACTICE, differs=True),
    "reseat-ppm": Rule(
        link="base mark", when="A re-seat of 2 ppm of the coordinates: one foot for the other.", source="NIST SP 811", differs=True
    ),
    "reseat-far": Rule(
        link="base mark", when="A re-seat by more than an autonomous base can be off.", source=COMMON_PRACTICE, differs=True
    ),
    "reseat-only-up": Rule(link="base antenna", when="A re-seat of the height alone.", source=COMMON_PRACTICE),
    "reseat-metre": Rule(link="base mark", when="A re-seat by metres: an autonomous base, or another mark.", source=COMMON_PRACTICE),
    "reseat-one-epoch": Rule(link="base mark", when="A re-seat by a single epoch.", source=COMMON_PRACTICE),
    "reseat-shots-differ": Rule(
        link="rover", when="Shots of a re-seat that scatter beyond 99.9 % of their sigmas.", source=COMMON_PRACTICE, differs=True
    ),
    "reseat-prove": Rule(link="control", when="A re-seat that no second mark has proven yet.", source=COMMON_PRACTICE),
    # the field test
    "iso-gross-error": Rule(
        link="control", when="A deviation of a field test beyond 2.5·√2·σ.", source="ISO 17123-8 (from memory)", differs=True
    ),
    "iso-uncertainty-larger": Rule(
        link="control", when="A standard uncertainty of a field test beyond what its test allows.", source="ISO 17123-8 (from memory)"
    ),
    "iso-too-soon": Rule(
        link="control",
        when="A series of a field test that began less than 90 min after the one before.",
        source="ISO 17123-8 (from memory)",
    ),
    "iso-not-independent": Rule(
        link="control", when="A field test without a distance or height difference measured otherwise.", source="ISO 17123-8 (from memory)"
    ),
    "iso-sigma-usual": Rule(link="control", when="A field test judged by usual sigmas, not by those of the pair.", source=COMMON_PRACTICE),
    # the base's height
    "impossible-slant": Rule(
        link="base antenna", when="A slant that is not longer than the rim's radius.", source="right triangle mark, axis, rim", differs=True
    ),
    "rod-contradicted": Rule(
        link="base antenna", when="A height typed for a fixed rod that is not the rod's.", source=COMMON_PRACTICE, differs=True
    ),
    "digits-swapped": Rule(
        link="base antenna",
        when="Two readings that agree once two neighbouring digits change places.",
        source=COMMON_PRACTICE,
        differs=True,
    ),
    "unit-mixed": Rule(
        link="base antenna", when="A reading that fits in another unit than it was typed in.", source="NIST SP 811", differs=True
    ),
    "wrong-feature": Rule(
        link="base antenna", when="Two readings that differ by a known offset of the antenna.", source=COMMON_PRACTICE, differs=True
    ),
    "slant-as-vertical": Rule(
        link="base antenna",
        when="A vertical reading that fits as a slant to the rim.",
        source="right triangle mark, axis, rim",
        differs=True,
    ),
    "heights-disagree": Rule(
        link="base antenna",
        when="Two readings of one height that differ by more than the job's limit.",
        source=COMMON_PRACTICE,
        differs=True,
    ),
    "height-one-unit": Rule(link="base antenna", when="A taped height that was read in one unit only.", source=COMMON_PRACTICE),
    "closing-height-agrees": Rule(link="base antenna", when="Opening and closing height agree.", source=COMMON_PRACTICE),
    "closing-height-differs": Rule(
        link="base antenna", when="Opening and closing height differ by more than the job's limit.", source=COMMON_PRACTICE, differs=True
    ),
    # averages of what a receiver reports
    "average-not-fixed": Rule(
        link="base mark", when="An average that is not of fixed epochs: off by more than its precision says.", source=COMMON_PRACTICE
    ),
    "average-mixed": Rule(link="base mark", when="An average of epochs of several kinds of solution.", source=COMMON_PRACTICE),
    "average-brief": Rule(link="base mark", when="A fixed average of less than 30 s.", source=COMMON_PRACTICE),
    "average-short": Rule(link="base mark", when="An average over less than five minutes that is not fixed.", source=COMMON_PRACTICE),
    "average-elsewhere": Rule(
        link="base mark",
        when="The receiver's own average lies farther from the mark than its error explains, or nowhere near the job.",
        source=COMMON_PRACTICE,
        differs=True,
    ),
    "epochs-left-out": Rule(link="base mark", when="Epochs more than six robust sigmas from the others.", source=COMMON_PRACTICE),
    "positions-coarse": Rule(
        link="rover", when="A receiver that writes positions in steps of a millimetre and more.", source="NMEA 0183, GGA"
    ),
    # the base on the air
    "base-not-heard": Rule(
        link="broadcast", when="The base's stream is not heard here: what it sends is unchecked.", source=COMMON_PRACTICE
    ),
    "base-position-disagrees": Rule(
        link="broadcast", when="The ARP on the air is not where it is meant to be.", source=COMMON_PRACTICE, differs=True
    ),
    "base-height-not-stated": Rule(
        link="base antenna", when="A 1005, or a 1006 with a height of 0: no antenna height on the air.", source="RTCM 10403.3, DF028"
    ),
    "base-height-field-differs": Rule(
        link="base antenna",
        when="The antenna height on the air is another one, and yet the ARP agrees.",
        source=COMMON_PRACTICE,
        differs=True,
    ),
    "station-id-disagrees": Rule(
        link="broadcast", when="The station ID on the air is not the one that is meant.", source=COMMON_PRACTICE, differs=True
    ),
    "station-id-hidden": Rule(link="broadcast", when="A station ID above 1023 does not fit GGA.", source="NMEA 0183, GGA"),
    "base-autonomous": Rule(
        link="base mark",
        when="The base stands on an autonomous average: the site is metres off until it is re-seated.",
        source=COMMON_PRACTICE,
    ),
    "message-missing": Rule(
        link="broadcast", when="A message of the base's profile that does not come.", source=COMMON_PRACTICE, differs=True
    ),
    "message-interval-differs": Rule(
        link="broadcast", when="A message that comes at another interval than its profile has.", source=COMMON_PRACTICE, differs=True
    ),
    "message-unplanned": Rule(
        link="broadcast", when="A message on the air that the profile does not name.", source=COMMON_PRACTICE, differs=True
    ),
    "constellation-not-sent": Rule(
        link="broadcast", when="A constellation of the profile of which nothing is sent.", source=COMMON_PRACTICE, differs=True
    ),
    "satellites-not-sent": Rule(
        link="broadcast", when="Satellites that the base sees above its mask and does not send.", source=COMMON_PRACTICE, differs=True
    ),
    # the base's own position
    "base-receiver-not-heard": Rule(
        link="base mark", when="The base's own NMEA is not heard: where it stands is unchecked.", source=COMMON_PRACTICE
    ),
    "base-receiver-far": Rule(
        link="base mark",
        when="The base's own position lies farther from its mark than it can be off.",
        source=COMMON_PRACTICE,
        differs=True,
    ),
    "base-status-normal": Rule(
        link="base mark", when="What the base's own solution status means: it need not be fixed.", source="NMEA 0183, GGA"
    ),
    # the coordinate of the base
    "base-coordinate-of-before": Rule(
        link="base mark",
        when="The mark lies elsewhere than where the base's coordinate was taken from it.",
        source=COMMON_PRACTICE,
        differs=True,
    ),
    "mark-moved": Rule(
        link="base mark",
        when="A fresh autonomous position on a mark that has a coordinate from before.",
        source=COMMON_PRACTICE,
        differs=True,
    ),
    "mark-differs-from-earlier": Rule(
        link="base mark", when="Another coordinate than the mark was occupied with before.", source=COMMON_PRACTICE, differs=True
    ),
    "mark-check-agrees": Rule(link="base mark", when="A network rover's shot agrees with the mark's coordinate.", source=COMMON_PRACTICE),
    "mark-check-disagrees": Rule(
        link="base mark", when="A network rover's shot disagrees with the mark's coordinate.", source=COMMON_PRACTICE, differs=True
    ),
    "mark-check-not-fixed": Rule(link="base mark", when="A shot on the mark that was not fixed throughout.", source=COMMON_PRACTICE),
    "solution-plausible": Rule(
        link="base mark", when="A static solution within what the present coordinate may be off by.", source=COMMON_PRACTICE
    ),
    "solution-slip": Rule(
        link="base mark", when="A static solution that fits with another sign, unit, height or frame.", source=COMMON_PRACTICE, differs=True
    ),
    "solution-far": Rule(link="base mark", when="A static solution farther off than is plausible.", source=COMMON_PRACTICE, differs=True),
    "level-not-confirmed": Rule(link="base antenna", when="Level and plumb were not confirmed before the start.", source=COMMON_PRACTICE),
    # all checks of a base together
    "cause-height": Rule(link="base antenna", when="All checks are off by one height.", source=CAUSES_BY, differs=True),
    "cause-pole-height": Rule(
        link="pole",
        when="The checks measured with one rover height are off by one height, those with another agree.",
        source=CAUSES_BY,
        differs=True,
    ),
    "cause-base-coordinate": Rule(link="base mark", when="All checks are off by one horizontal shift.", source=CAUSES_BY, differs=True),
    "cause-base-on-another-mark": Rule(
        link="base mark",
        when="All checks are off by the distance between two marks: the base stands on another one.",
        source=CAUSES_BY,
        differs=True,
    ),
    "cause-frame": Rule(link="base mark", when="All checks are off by the shift between two frames.", source=CAUSES_BY, differs=True),
    "cause-foot": Rule(link="local grid", when="All checks are off by 2 ppm of the coordinates.", source=CAUSES_BY, differs=True),
    "cause-one-mark": Rule(link="control", when="One mark alone is off.", source=CAUSES_BY, differs=True),
    "cause-pole-on-another-mark": Rule(
        link="control", when="One mark is off by its distance from another: the pole stood on that.", source=CAUSES_BY, differs=True
    ),
    "cause-scale": Rule(
        link="local grid", when="The checks are off in proportion to their distance from the base.", source=CAUSES_BY, differs=True
    ),
    "cause-rotation": Rule(link="local grid", when="The checks are turned about the base.", source=CAUSES_BY, differs=True),
    "cause-another-system": Rule(
        link="local grid", when="The checks are turned and scaled: the control is in another system.", source=CAUSES_BY, differs=True
    ),
    "cause-geoid": Rule(link="local grid", when="The heights of the checks are tilted over the site.", source=CAUSES_BY, differs=True),
    "cause-sinking": Rule(link="base antenna", when="The heights of the checks change steadily with time.", source=CAUSES_BY, differs=True),
    "cause-bumped": Rule(link="base mark", when="Everything moved between two checks.", source=CAUSES_BY, differs=True),
    "cause-cannot-tell": Rule(
        link="control", when="Two causes that look alike explain the checks as well.", source=CAUSES_BY, differs=True
    ),
    "cause-none-fits": Rule(link="control", when="No single cause explains the checks.", source=CAUSES_BY, differs=True),
    # checks on control
    "check-within-tolerance": Rule(link="control", when="A check shot within its tolerance.", source=COMMON_PRACTICE),
    "check-outside-tolerance": Rule(
        link="control", when="A check shot outside its tolerance, horizontally and vertically.", source=COMMON_PRACTICE, differs=True
    ),
    "check-height-off": Rule(
        link="base antenna",
        when="Only the height of a check is off: a height was measured or typed wrongly.",
        source=COMMON_PRACTICE,
        differs=True,
    ),
    "check-horizontal-off": Rule(
        link="control",
        when="Only the horizontal of a check is off: another mark, a leaning pole or a false fix.",
        source=COMMON_PRACTICE,
        differs=True,
    ),
    "check-height-not-compared": Rule(
        link="control",
        when="The mark has no height that can be compared: none, or an elevation without a geoid grid there.",
        source=COMMON_PRACTICE,
    ),
    "check-on-base-mark": Rule(link="control", when="The mark checked is the mark the base stands on.", source=COMMON_PRACTICE),
    "check-beyond-expected": Rule(
        link="control",
        when="A check inside its tolerance and beyond 99.9 % of what the chain gives.",
        source="chi-squared test with the chain's sigmas",
    ),
    "repeat-not-independent": Rule(
        link="rover", when="A repeated check whose fix was not lost and regained in between.", source=COMMON_PRACTICE
    ),
    "repeats-agree": Rule(
        link="rover",
        when="Two checks of a mark from two initialisations are equal at 95 %.",
        source="chi-squared or Hotelling's test of two means",
    ),
    "repeats-too-short": Rule(
        link="rover",
        when="Two checks of a mark whose epochs are correlated for so long that equal cannot be told from unequal.",
        source="Hotelling's test over the likelihood of the correlation time",
    ),
    "repeats-differ": Rule(
        link="rover",
        when="Two checks of a mark from two initialisations are not equal at 95 %.",
        source="chi-squared or Hotelling's test of two means",
    ),
    "check-on-seat-mark": Rule(link="control", when="The mark checked is the mark the base was re-seated on.", source=COMMON_PRACTICE),
    "check-not-fixed": Rule(link="rover", when="The shot holds epochs that are not fixed.", source=COMMON_PRACTICE),
    "shot-has-gap": Rule(link="rover", when="A shot within which the rover was silent.", source=COMMON_PRACTICE),
    "shot-too-short": Rule(link="rover", when="A check averaged over less than 30 s.", source=COMMON_PRACTICE),
    # two crews' packages of one job
    "crews-differ-mark": Rule(
        link="control", when="Two crews replaced one mark of the list independently.", source=COMMON_PRACTICE, differs=True, at="book"
    ),
    "crews-differ-base": Rule(
        link="base mark", when="Two crews replaced one base coordinate independently.", source=COMMON_PRACTICE, differs=True, at="book"
    ),
    "crews-differ-antenna": Rule(
        link="base antenna", when="Two crews replaced one base height independently.", source=COMMON_PRACTICE, differs=True, at="book"
    ),
    "crews-differ-pole": Rule(
        link="pole", when="Two crews replaced one rover height independently.", source=COMMON_PRACTICE, differs=True, at="book"
    ),
    "crews-differ-grid": Rule(
        link="local grid",
        when="Two crews replaced one mark or choice of the fit independently.",
        source=COMMON_PRACTICE,
        differs=True,
        at="book",
    ),
    "crews-differ-settings": Rule(
        link="local grid", when="Two crews replaced the job's settings independently.", source=COMMON_PRACTICE, differs=True, at="book"
    ),
    "crews-differ": Rule(link="control", when="Two crews replaced something else independently.", source=COMMON_PRACTICE, at="book"),
    "package-unproven": Rule(
        link="control", when="A job that came with a package whose rows have no hash.", source=COMMON_PRACTICE, at="book"
    ),
    "elements-partial": Rule(
        link="sky", when="Elements that a base alone has sent, for less than a day.", source=COMMON_PRACTICE, at="sky?view=elements"
    ),
    "elements-unreadable": Rule(link="sky", when="A stored file of elements that cannot be read.", source=COMMON_PRACTICE, at="sky"),
    "mask-differs": Rule(link="sky", when="Elevation masks of base and rover that differ by a degree.", source=COMMON_PRACTICE, at="sky"),
    "mask-not-kept": Rule(
        link="sky",
        when="A satellite sent or used a degree below the mask of its end's profile.",
        source=COMMON_PRACTICE,
        differs=True,
        at="sky?view=cutoff",
    ),
    "mask-below-limit": Rule(link="sky", when="An elevation limit of shots above the rover's mask.", source=COMMON_PRACTICE, at="sky"),
    "sky-not-as-expected": Rule(
        link="sky",
        when="Fewer than four in five of the satellites expected at both ends are used.",
        source=COMMON_PRACTICE,
        differs=True,
        at="sky?view=seen",
    ),
    "constellations-lost": Rule(link="sky", when="A constellation that one end uses and the other does not.", source=COMMON_PRACTICE),
    "ionosphere-midday": Rule(
        link="sky", when="A delay of 5 m or more overhead, and a baseline of 10 km or more.", source="IS-GPS-200, 20.3.3.5.2.5"
    ),
    "sky-nominal": Rule(link="sky", when="A sky without elements: nominal satellites, to practise.", source=COMMON_PRACTICE),
    "elements-old": Rule(link="sky", when="Elements older than a plan should rest on.", source=COMMON_PRACTICE),
    "elements-missing": Rule(link="sky", when="A satellite has no elements that hold for some of the time.", source=COMMON_PRACTICE),
    "satellite-unhealthy": Rule(link="sky", when="A satellite above the mask says that it is not healthy.", source="IS-GPS-200"),
    "satellite-excluded": Rule(
        link="sky", when="A satellite was taken out of single-point positions by its residual.", source="least squares, 25 m a residual"
    ),
    "elements-impossible": Rule(link="sky", when="A file of orbits holds messages that no satellite can have sent.", source="IS-GPS-200"),
    "elements-leap-seconds": Rule(link="sky", when="A file of orbits says other leap seconds than held then.", source="IERS Bulletin C"),
    "virtual-base-shot": Rule(
        link="rover", when="The shot came from a virtual base: a position, not a vector from this base.", source="RTCM 10403.3, DF141"
    ),
}


@dataclass(frozen=True, kw_only=True)
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
    return Finding(
        code=code,
        link=rule.link,
        severity=severity,
        sentence=sentence,
        cause=cause,
        action=action,
        source=rule.source,
        numbers=numbers,
        field="",
        is_stop=severity is Severity.STOP,
    )


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
