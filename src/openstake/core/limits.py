"""Every limit of a rule on one page: what is told, from where on.  Where no source is named: common practice, no source.

A rule reads its limit from here; a job may hold another one where it says so.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated

from annotated_types import Ge, Le, MaxLen

from openstake.core.evidence import Status


@dataclass(frozen=True)
class Tolerance:
    """How far a check may be off, metres."""

    horizontal_m: float
    vertical_m: float


# --- checks on control ---
# 10 to 20 mm and 20 to 30 mm are common for control, more for topography.
TOLERANCES = {"control": Tolerance(0.020, 0.030), "structures": Tolerance(0.010, 0.020), "topography": Tolerance(0.050, 0.080)}
# The plan of checks: a far check lies beyond 1 km; marks farther than this are not of the site.
WEAKENS = ("shot-too-short", "virtual-base-shot")  # only told of a check, and still they keep it from proving much
FAR_FROM_M = 1000.0
FAR_WITHIN_M = 10_000.0
SPREAD_FROM = 1 / 3  # of the site's reach: a third benchmark nearer to the others adds nothing
CONTROL_SECONDS = 30.0  # averaging for control is 30 to 180 s
LONGEST_SHOT_S = 3600.0
# Beyond these a check is not a matter of a leaning pole any more: another mark, or an autonomous base.
ANOTHER_MARK_M = 0.5
AUTONOMOUS_BASE_M = 1.0

# Causes over all checks: told apart where the next one scores so much worse (odds of e² : 1), explained where no more is left
# than chance leaves in 99.9 %.
CAUSE_TELLS_BY = 4.0
CAUSE_ODDS = 5.0  # a day without a mistake is the rule: e^2.5 : 1
CAUSE_CHOICE = 2.5  # and a cause with one more thing to choose is the rarer one
CAUSE_LEAST_LEFT = 0.001
SINKS_AT_MOST_M_PER_H = 0.2  # a tripod that goes faster falls
CAUSE_NEAR_M = 1.0  # another mark is looked for so near to where a difference leads

# --- the height of the base ---
HEIGHTS_AGREE_M = 0.003  # readings of one height agree to 2-3 mm; a job may hold another limit
WIDEST_HEIGHTS_AGREE_M = 0.1  # what a job may ask for at most
HIGHEST_ANTENNA_M = 12.0  # masts of survey tripods and poles end well below
# A tripod over a mark puts the antenna between the usual heights; outside the odd ones, a unit is asked about.
USUAL_HEIGHTS_M = (0.8, 2.4)
ODD_HEIGHTS_M = (0.75, 3.0)
SAME_READING_M = 0.0001  # no tape reads finer
READING_ERROR_M = 0.002  # two readings of one height, each to a millimetre or to a hundredth of a foot
SHARE_UNEXPLAINED = 1 / 3  # of a difference: a cause that leaves more explains nothing
ONE_LOOK_S = 60.0  # a tape read again at once by the same eye
TYPED_TWICE_S = 15.0  # the same reading again so soon is asked about

# --- the base on the air ---
# 1005/1006 count tenths of a millimetre; what is typed has millimetres: more than 2 mm apart is another number.
ON_AIR_AGREES_M = 0.002
OFFSET_FITS_M = 0.01  # a difference is a height or an offset where it fits one to a centimetre
MARK_FITS_M = 0.05  # and another mark where it fits one to 5 cm
TALLEST_SET_UP_M = 4.0
# A height that is off by more is none of a tape or a pole, and a geoid nearer to the ellipsoid than this is told by no ground.
TALLEST_POLE_M = 10.0
AUTONOMOUS_WITHIN_M = 30.0
LARGEST_GGA_STATION_ID = 1023  # NMEA 0183, GGA
LARGEST_STATION_ID = 4095  # RTCM 10403.3, DF003
MESSAGE_PATIENCE = 3.0  # intervals without a message before it is missing
LEAST_MESSAGE_WAIT_S = 15.0
POSITION_COMES_WITHIN_S = 25.0  # bases send theirs every ten seconds: two intervals and a little
INTERVAL_RATIO = 1.25
SATELLITES_SEEN_NOT_SENT = 3
SHARE_SENT = 0.7

# --- the base's coordinate ---
# How far off a mean may be at 95 %, horizontally, however long it is averaged: metres for autonomous and code,
# decimetres for float, centimetres for fixed.  Heights are 1.6 times as far off.
BIAS_95_M = {Status.SINGLE: 5.0, Status.OTHER: 5.0, Status.DGPS: 1.0, Status.FLOAT: 0.5, Status.FIXED: 0.03}
VERTICAL_TO_HORIZONTAL = 1.6
# What a single position of each kind may plausibly be off by.
PLAUSIBLE_M = {Status.SINGLE: 10.0, Status.OTHER: 10.0, Status.DGPS: 5.0, Status.FLOAT: 2.0, Status.FIXED: 0.2}
SAME_COORDINATE_M = 0.005
# A mark that is derived this much elsewhere than a base's coordinate that was taken from it: settings or list have changed.
TAKEN_FROM_MARK_M = 0.001
METRE_LEVEL_M = 0.2  # a check of the mark that is off by more: not the pole
SLIP_FITS_M = 0.05  # a slip of typing explains a difference to this
FRAME_FITS_M = 0.15  # and another frame: its drift is known to centimetres
ANOTHER_COUNTRY_M = 100_000.0  # nobody carries a base so far in error
PLAUSIBLE_FROM_KNOWN_M = 0.10  # a solution from a coordinate that is known
PLAUSIBLE_FROM_AUTONOMOUS_M = 10.0  # and from an autonomous one
FARTHEST_FROM_CONTROL_M = 30_000.0
# What parameters that a person typed are taken to be good to (common practice, no source).
TYPED_SHIFT_M = 1.0
# A rover among its marks: how far those lie whose heights are compared with its own, and by how much the ground rises between them.
HEIGHTS_COMPARED_WITHIN_M, GROUND_VARIES_M = 2000.0, 5.0
# A pole that stands off a mark as another datum lies off: how far marks are looked at, the least shift, how well it must fit.
DATUM_AFTER_S = 30.0  # of standing
DATUM_SHIFTS_WITHIN_M, LEAST_DATUM_SHIFT_M, DATUM_SHIFT_FITS_M = 1500.0, 5.0, 2.0
COARSE_POSITIONS_M = 0.01
SHORTEST_FIXED_S = 30.0  # control wants 30 to 180 s
SHORTEST_AVERAGE_S = 300.0  # errors of code positions live for minutes
MANY_LEFT_OUT = 0.1

# --- the rover ---
OLD_AGE_S = 10.0  # age climbing toward 10 s: the link is at its end

LINK_LOST_AFTER_S = 5.0  # an epoch or two without an age is no loss
LINK_NEVER_AFTER_S = 15.0
CORRECTIONS_USED_WITHIN_S = 60.0  # where they arrive it should be float or fixed by then
MANY_DAMAGED = 0.1  # of the frames at this listener
FRAMES_EXPECTED = 0.9  # of those that should come
FRAMES_JUDGED_AFTER_S = 20.0
AGE_CLIMBS_FROM_S = 3.0  # 1 to 2 s is good, whatever it does
AGE_CLIMBS_PER_S = 0.02  # an age that climbs faster over half a minute does not come back by itself
AGE_CLIMB_SEEN_S = 10.0
GONE_WITHIN_S = 600.0  # what is told of the future reaches so far
# A pole that stands: epochs within this, or within so many of their sigmas.
STANDING_M = 0.12
STANDING_UP_M = 0.25
STANDING_SIGMAS = 5.0
SCATTER_WINDOW_S = 180.0  # the last minutes
SHORTEST_SCATTER_S = 20.0
LEAST_GAP_S = 3.0  # a silence of the rover within a shot is told
# A jump: beyond so many sigmas of the claim and what movement allows.
JUMP_LEAST_M = 0.05
JUMP_SIGMAS = 5.0
LONGEST_JUMP_STEP_S = 2.5
# A drift of a pole that stands: beyond so many sigmas of the claim at both of its ends.
DRIFT_LEAST_M = 0.03
DRIFT_LEAST_UP_M = 0.05
DRIFT_SIGMAS = 4.0
POLE_SWINGS_MPS2 = 10.0  # the top of a pole that is carried
PERSON_WALKS_MPS = 2.0
PERSON_BRAKES_MPS2 = 3.0  # a person who moves a pole from rest to rest
STANDS_BELOW_MPS = 0.25  # a speed reported below this is the noise of a pole that stands
POLE_TWICE_M = 0.003  # one sigma of a pole put on a mark a second time
UNCLAIMED_HORIZONTAL_M = 0.010  # one sigma of a fix where the receiver claims nothing
UNCLAIMED_UP_M = 0.020
SAME_POINT_M = 0.5  # two shots so near are taken for one place
PDOP_TOO_LARGE = 6.0
FEWEST_SATELLITES = 6  # used by a fix that is to be believed
WEAK_DBHZ = 30.0
DISTANCE_AGREES_M = 0.05  # two ways to the distance from the base
PLAN_REACHES_M = 100.0  # a plan that reaches less far says nothing of where work goes
DISTANCE_AS_PLANNED = 0.2  # of the planned reach
# --- what a device sends ---
# Two receivers on one address: positions that go so far and come back with the next epoch, and how often before it is told.
TALKERS_APART_M, TALKERS_TOLD_FROM = 100.0, 3
SLOWEST_HZ = 0.9
FEWEST_DECIMALS = 7  # of a minute: 5 are 18 mm, 6 are 2 mm, 7 are 0.2 mm
CLOCK_OFF_S = 2.0
ENOUGH_EPOCHS = 20  # before a device is said to lack something
# --- going to a mark ---
ON_THE_MARK_M = 0.03
WALKS_FROM_MPS = 0.4  # slower, and nobody can say where a person is heading
SUN_SEEN_ABOVE_DEG = 3.0
STRAIGHT_DEG = 15.0
WHOLE_METRES_FROM_M = 100.0  # so far away nobody walks by decimals

# --- a pole that is turned, and measures without GNSS ---
LEAN_TURN_DEG = 90.0
LEAN_LARGE_M = 0.010  # at the top of the pole: half of a tolerance for control
TAPE_DEFAULT_SIGMA_M = 0.005
LEVEL_DEFAULT_SIGMA_M = 0.002
LONGEST_MEASURE_M = 5000.0

# --- a local fit ---
FIT_SIGNIFICANCE = 0.05  # of the global test, and of all marks together
FIT_SINGLE_SIGNIFICANCE, FIT_POWER = 0.001, 0.8  # Baarda's, for the blunder that would be found
FIT_CORRELATION = 0.9  # two marks more alike than this cannot be told apart
FIT_SCALE_LOOK_PPM = 30.0  # a free scale some tens of ppm off is a warning
FIT_SCALE_STOP_PPM = 1000.0  # no map projection and no height on Earth gives as much
FIT_MOST_SUSPECTS = 50  # the worst: a wrong model accuses every mark
FIT_MOST_EXCHANGED = 60  # marks of which all pairs are tried
FIT_EXCHANGE_GAIN = 100.0  # of squares, where no sigma is given: two right names make residuals ten times smaller
FIT_ROTATION_LOOK_DEG = 0.01  # 17 mm over 100 m
FIT_NEAR_LINE = 0.15  # across over along: flatter, the marks lie nearly on one line
FIT_TELLS_FROM = 4  # marks: fewer cannot tell which one is wrong, with scale free or held
SLIP_LEAST_M, SLIP_SIGMAS = 0.005, 4.0  # a difference smaller than a slip of millimetres is none
LOCAL_SIGMA_HORIZONTAL_M, LOCAL_SIGMA_VERTICAL_M = 0.005, 0.005  # of a local coordinate, where nobody says
FIT_WASH_M = (0.005, 0.010, 0.020, 0.050, 0.100)  # bounds of the wash on the plan
BUDGET_WASH_M = (0.015, 0.020, 0.025, 0.030, 0.050)  # and of that of the whole budget
MOST_BUDGETS_WRITTEN = 24  # marks with their budget on a plan: more cannot be read
SMALLEST_SIGMA_M = 1e-5
SAME_PLACE_FIT_M = 0.01  # marks so near to each other show neither scale nor rotation

# --- re-seating a base ---
EARTH_RADIUS_LEAST_M, EARTH_RADIUS_MOST_M = 6.34e6, 6.40e6  # the ellipsoid's axes, and what is lived on
RESEAT_SMALL_HORIZONTAL_M, RESEAT_SMALL_UP_M = 0.020, 0.030  # what a fix on a control mark may be off by
RESEAT_METRE_M = 1.0
RESEAT_AUTONOMOUS_M = 30.0
RESEAT_SAME_MARK_M = 0.5
FOOT_PPM, FOOT_PPM_WITHIN = 2.0, 0.02

# --- the field test of ISO 17123-8 ---
ISO_SIGMA_XY_M = 0.008  # what makers usually state for RTK near its base (common practice, no source)
ISO_SIGMA_H_M = 0.015

# --- the sky at the rover ---
OBSTRUCTED_AFTER_S = 30.0

# --- shots ---
CHECK_OUT_WITHIN_S = 1800.0  # a check-out belongs to the end of the work
NAME_LENGTH = 40

# --- the error budget ---
LONGEST_BASELINE_M = 1_000_000.0  # of anything that is called RTK

# --- the bench test ---
BENCH_SIGMAS = 3.0
TAPE_SIGMA_M = 0.002
BENCH_PERSON_M = 0.010  # phase centres of two antennas, and walls near a bench
BENCH_EPOCHS_S = 20.0
LONGEST_BENCH_S = 300.0

# --- the link ---
BASE_FAR_KM = 30.0  # a single base serves to about 30 to 40 km
BASE_TOO_FAR_KM = 40.0

# --- the job's system and its control list ---
NEAR_EDGE_KM = 20.0
FACTOR_DIFFERS_PPM = 20.0
FARTHEST_MARK_M = 50_000.0
SAME_PLACE_M = 0.0005  # a mark that is in the job already: millimetres are what lists hold
BELOW_SEA_M = 10.0  # dry land lies deeper in few places on Earth
KINDS_TOLD_FROM_M = 5.0  # a geoid nearer to the ellipsoid says nothing of the kind of a height
KINDS_COMPARED_WITHIN_M = 3000.0  # marks whose heights may be set beside each other
FEWEST_HEIGHTS = 4  # one against three others
MOST_HEIGHTS_APART = 100  # of one list: more is a list in the other unit
HEIGHTS_TOGETHER_M = 5.0  # marks of one list stand within some metres, or within twice their own spread
HEIGHT_APART = 3.0  # times that: a height apart from the others
OTHER_FOOT_FROM_M = 0.02  # 2 ppm of coordinates show from here on
PROJECTION_RETURNS_M = 0.01  # a place that comes back from latitude and longitude as far off is outside the projection
# What a control list is worth where it does not say: a local control network.
DEFAULT_SIGMA_HORIZONTAL_M = 0.005
DEFAULT_SIGMA_VERTICAL_M = 0.008

# --- what may be sent to the program at all ---
ShortText = Annotated[str, MaxLen(200)]
Text = Annotated[str, MaxLen(2000)]
LongText = Annotated[str, MaxLen(20_000)]
Seconds = Annotated[float, Ge(0), Le(86_400)]
HostSeconds = Annotated[float, Ge(0), Le(1e11)]

# --- tests of statistics ---
SIGNIFICANCE = 0.05
CLAIM_TOO_SMALL_CHANCE = 0.0002  # a claim is called too small where it has a smaller chance than this: it is asked many times a day
EXPORT_DOUBT_ROOM = 2.0  # a list is no test: what is expected by chance in 5 % of pairs is left in
FEWEST_INDEPENDENT = 3.0  # a series worth fewer independent epochs tells little: of its mean, and of its scatter
OUTLIER_FLOOR_M = 0.005

# --- how far apart the sets of ISO 17123-8 are measured ---
SETS_APART_S = 300.0
SERIES_APART_S = 5400.0  # between the starts of two series

# --- frames and heights ---
# The geoid lies between -107 m (south of India) and +86 m (New Guinea).
MOST_UNDULATION_M = 150.0
SAME_EPOCH_YEARS = 0.05  # an epoch as a decimal year with one digit
# Within a frame that rides on a plate, epochs closer together than this are not told apart (common practice, no source).
PLATE_RIDES_FOR_YEARS = 1.0
IGS_FRAMES_AGREE_M = 0.01

# --- radio ---
RADIO_STANDBY_W = 3.0  # what a radio draws while it is silent (common practice, no source)
BATTERY_USABLE = 0.8  # part of a battery that should be used (common practice, no source)
USUAL_SENSITIVITY_DBM = -110.0  # a UHF receiver at 9600 bit/s (common practice, no source)
USUAL_MARGIN_DB = 10.0

# --- a rover watched: drifts, jumps, stands, pairs of fixes ---
DRIFT_PART_S = 5.0
DRIFT_FEWEST_PARTS = 12  # a minute: a pole that is moved by hand is there sooner
DRIFT_STEP_SHARE = 0.6  # of the whole way within an end's time: that was a step
CLOCK_LEAP_S = 30.0  # between the receiver's clock and ours: a step that no delay on the way makes
LOST_BY_SILENCE_S = 10.0  # epochs that do not come for so long: nobody knows whether the fix held
JUMP_LOOKS_BACK_S = 6.0
JUMP_STOOD_FOR_S = 2.0
POLE_STILL_M = 0.02  # a pole held still wanders by less
POLE_STILL_SIGMAS = 4.0
STOOD_LATELY_S = 10.0
PAIR_PROVEN_AFTER_S = 3.0
SHORT_STAND_S = 2.0
STAND_WINDOW_S = 30.0
AGE_TREND_WINDOW_S = 20.0  # longer, and what was level before hides how fast it climbs now
WAITS_FOR_PAIR_S = 900.0

# --- single point positions and satellites ---
SINGLE_MASK_DEG = 10.0
SINGLE_LARGEST_PDOP = 1000.0
SINGLE_LARGEST_RESIDUAL_M = 25.0
# How far from their time broadcast elements hold for positions, by constellation: IS-GPS-200 (a fit of four hours), IS-QZSS-PNT, Galileo
# OS SDD (four hours), GLONASS ICD 5.1 (a state every half hour); BeiDou and NavIC: common practice, no source.
ELEMENTS_HOLD_S = {"G": 7200.0, "J": 7200.0, "E": 14_400.0, "C": 7200.0, "I": 7200.0, "R": 1800.0}
OBSTRUCTED_HEARD_SHARE = 0.2  # of the looks: more, and it is no obstruction but a weak signal

# The sky of a day.
LARGEST_DOP = 100.0
GLONASS_CARRIED_S = 43_200.0  # how far a state is carried on for planning
USUAL_HDOP, USUAL_VDOP = 1.0, 1.6  # of the sky under which makers state what a vector is worth: common practice, no source
BEST_PDOP_RATIO = 1.3
SHORTEST_BEST_S = 1800.0
MOST_SKYLINE_POINTS = 720
MOST_SKY_MOMENTS = 20_160  # two weeks, minute by minute
# How old elements may be for planning: what is older is marked (broadcast: a day) or not taken at all.
PLANNING_OLD_S = {"broadcast": 86_400.0, "precise": 900.0, "mean": 3 * 86_400.0}
PLANNING_HOLDS_S = {"broadcast": 3 * 86_400.0, "precise": 900.0, "mean": 14 * 86_400.0}
POOR_PDOP_RATIO = 2.0  # times the least of the day: an hour to avoid (common practice, no source)
SHORTEST_POOR_S = 600.0
SKY_DAY_STEP_S = 600.0
SKY_BESIDE_M = 50.0  # a rover so near to a mark has its skyline, until somebody says otherwise (common practice, no source)
SKY_EDGE_DEG = 1.0  # so close to a mask or a skyline a satellite may be seen or not: directions on the air are whole degrees
SKY_SEEN_SHARE = (
    0.8  # of the satellites expected at both ends: fewer used, and something is not as it is meant (common practice, no source)
)
MOST_ELEMENT_FILE_BYTES, MOST_ELEMENT_TEXT_BYTES, MOST_ELEMENT_FILES = 16 << 20, 32 << 20, 20
MOST_HEARD_EPHEMERIDES = 5000  # of one session: a day of all constellations is some 2000
HEARD_AGAIN_S = 1800.0  # ephemerides of a satellite that follow each other closer than this are not kept
PHOTO_WIDTHS_DEG, SWEEP_WIDTHS_DEG = (5.0, 130.0), (20.0, 360.0)
# The ionosphere between two ends: where the sun's delay overhead is larger than this and the baseline longer, midday is named
# (common practice, no source: 5 m are some 30 units of electron content).
HIGH_IONOSPHERE_M, LONG_BASELINE_M = 5.0, 10_000.0
