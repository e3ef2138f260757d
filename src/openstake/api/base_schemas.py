"""What goes over HTTP for the Base page: the set-up in hand, the running base, what ran before."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import BaseModel, Field

from openstake.api.schemas import Finding, RefersTo, Seconds, ShortText, StatusWord, Text

Moment = Literal["before", "after"]
Purpose = Literal["base", "mark"]
Source = Literal["", "mark", "network", "average", "static", "anywhere", "remembered"]


class HeightQuery(BaseModel):
    reading: ShortText
    feature: ShortText
    subject: Literal["base", "rover"] = "base"


class Height(BaseModel):
    """A height as typed; `phase_centre_up_m` is how far the base antenna's phase centre lies above its ARP."""

    reading_m: float
    arp_height_m: float
    feature_to_arp_m: float
    rim_radius_m: float
    phase_centre_up_m: float | None
    feature_height_m: float
    phase_centre_height_m: float | None
    method: str
    text: str


class HeightReading(BaseModel):
    """A reading as it was typed; `from_mean_m` is reading − mean of those that are used."""

    id: str
    text: str
    reading_m: float
    arp_height_m: float
    feature_name: str
    feature: str
    method: str
    rim_radius_m: float
    feature_to_arp_m: float
    moment: Moment
    who: str
    created_s: float
    set_aside: bool
    corrected: bool
    reason: str
    from_mean_m: float | None


class MeanHeight(BaseModel):
    """The mean of the readings of the ARP above the mark, metres; `sigma_m` is one standard deviation of the mean."""

    arp_height_m: float
    sigma_m: float
    spread_m: float
    count: int
    text: str


class BaseHeights(BaseModel):
    """The readings before and after the session, and what they say of each other."""

    readings: list[HeightReading]
    opening: MeanHeight | None
    closing: MeanHeight | None
    limit_m: float | None
    findings: list[Finding]
    closing_findings: list[Finding]


class AverageResult(BaseModel):
    """An average of a receiver's positions; precisions are one sigma of the mean, the accuracy is at 95 %, horizontal.

    `east_m`, `north_m`, `up_m` are the positions − their mean, at `time_s` after the first; long ones are thinned.
    """

    used: int
    epochs: int
    span_s: float
    status: StatusWord
    latitude_deg: float
    longitude_deg: float
    height_m: float
    spread_horizontal_m: float
    spread_up_m: float
    precision_east_m: float | None
    precision_north_m: float | None
    precision_up_m: float | None
    effective_n: float
    correlation_s: float
    accuracy_95_m: float
    precision_95_m: float | None
    east_m: list[float]
    north_m: list[float]
    up_m: list[float]
    time_s: list[float]
    findings: list[Finding]


class MarkCheck(BaseModel):
    """The rover's average over the mark: observed − known, metres."""

    mark_name: str
    east_m: float
    north_m: float
    up_m: float | None
    agrees: bool
    finding: Finding


class StoredAverage(AverageResult):
    id: str
    origin: str
    created_s: float
    check: MarkCheck | None


class Average(BaseModel):
    """An average that is being taken; over a mark it waits for fixed first."""

    purpose: Purpose
    running: bool
    waiting: bool
    seconds: float
    elapsed_s: float
    problem: str
    result: AverageResult | None


class AverageWish(BaseModel):
    """Average the base's receiver, or a rover over the mark (`reading` and `feature` of its pole)."""

    url: ShortText | None = None
    seconds: Seconds = 60
    purpose: Purpose = "base"
    reading: ShortText = ""
    feature: ShortText = ""
    refers_to: RefersTo | None = None


class LogQuery(BaseModel):
    """What a log that is sent is an average of."""

    name: ShortText = ""
    purpose: Purpose = "base"
    reading: ShortText = ""
    feature: ShortText = ""


class Listen(BaseModel):
    """Where to listen; the password is written and never read."""

    base_url: ShortText | None = None
    base_password: ShortText | None = None
    rover_url: ShortText | None = None
    receiver_url: ShortText | None = None
    refers_to: RefersTo = "arp"


class Settle(BaseModel):
    """What a set-up settles; what is left out stays as it is."""

    mark_id: ShortText | None = None
    point_name: ShortText | None = None
    source: Source | None = None
    evidence_id: ShortText | None = None
    station_id: int | None = None
    base_url: ShortText | None = None
    rover_url: ShortText | None = None
    receiver_url: ShortText | None = None
    refers_to: RefersTo | None = None


class StartBase(BaseModel):
    """Start the base as the set-up has it; what is given here changes the set-up first.

    `accepted` starts although a finding says stop.
    """

    mark_id: ShortText | None = None
    reading: ShortText | None = None
    feature: ShortText = "bottom"
    source: Source | None = None
    station_id: int | None = None
    listen: Listen | None = None
    base_password: ShortText | None = None
    accepted: bool = False


class NewReading(BaseModel):
    reading: ShortText
    feature: ShortText
    who: ShortText = ""
    moment: Moment = "before"


class CorrectHeight(BaseModel):
    """Replace a reading by another, or set it aside; None for the reading keeps what was read."""

    replaces_id: ShortText
    reading: ShortText | None = None
    feature: ShortText = ""
    reason: Text
    set_aside: bool = False


class Question(BaseModel):
    key: str
    group: Literal["site", "level"]
    what: str
    why: str
    done: bool
    at_s: float | None


class Photo(BaseModel):
    id: str
    name: str
    created_s: float


class PhotoQuery(BaseModel):
    name: ShortText = "photo"


class ArpPlace(BaseModel):
    latitude_deg: float
    longitude_deg: float
    height_m: float


class SettledCoordinate(BaseModel):
    detail: str
    source: str
    frame: str
    frame_epoch: str
    accuracy_horizontal_95_m: float
    accuracy_vertical_95_m: float


class SetUp(BaseModel):
    """The set-up in hand; `missing` is what a start still waits for, `stops` what speaks against one."""

    id: str
    started_s: float
    mark_id: str | None
    mark_name: str
    point_name: str
    source: Source
    evidence_id: str | None
    station_id: int | None
    base_url: str | None
    rover_url: str | None
    receiver_url: str | None
    refers_to: RefersTo | None
    missing: list[str]
    stops: list[str]
    arp: ArpPlace | None
    coordinate: SettledCoordinate | None
    findings: list[Finding]


class School(BaseModel):
    """One way to a base coordinate, in words."""

    source: str
    title: str
    absolute: str
    repeats: str
    follows: str
    good: str
    bad: str


class Remembered(BaseModel):
    """A coordinate that a mark was occupied with."""

    id: str
    source: str
    title: str
    detail: str
    frame: str
    frame_epoch: str
    accuracy_horizontal_95_m: float
    created_s: float
    autonomous: bool
    locked: bool
    current: bool
    reason: str


class UsableShot(BaseModel):
    id: str
    created_s: float
    epochs: int
    words: str


class Sources(BaseModel):
    """The ways to a coordinate side by side, and what there is of each."""

    schools: list[School]
    memory: list[Remembered]
    shots: list[UsableShot]
    average_base: StoredAverage | None
    average_mark: StoredAverage | None


class StaticLog(BaseModel):
    id: str
    started_s: float
    ended_s: float | None


class SwitchLog(BaseModel):
    on: bool


class RinexQuery(BaseModel):
    interval: Annotated[float, Field(ge=1, le=60)] = 10


class RawFile(BaseModel):
    name: str
    role: str
    bytes: int


class Coordinate(BaseModel):
    """A coordinate that an occupation had; the first of a list is in force."""

    id: str
    source: str
    detail: str
    frame: str
    frame_epoch: str
    accuracy_horizontal_95_m: float
    locked: bool
    reason: str
    created_s: float


class Occupation(BaseModel):
    id: str
    mark_id: str
    mark_name: str
    station_id: int
    started_s: float
    height_reading_id: str
    height_text: str
    arp_height_m: float
    source: str
    source_detail: str
    frame: str
    frame_epoch: str
    locked: bool
    accuracy_horizontal_95_m: float
    accuracy_vertical_95_m: float
    latitude_deg: float
    longitude_deg: float
    arp_ellipsoidal_height_m: float
    base_url: str | None
    rover_url: str | None
    receiver_url: str | None
    refers_to: RefersTo
    logs: list[StaticLog]
    coordinates: list[Coordinate]


class Earlier(BaseModel):
    """A base that ran and ended."""

    id: str
    mark_name: str
    station_id: int
    started_s: float
    ended_s: float
    source: str
    title: str
    detail: str
    locked: bool
    autonomous: bool
    heights: BaseHeights
    logs: list[StaticLog]
    files: list[RawFile]
    photos: list[Photo]
    coordinates: list[Coordinate]


class OnAir(BaseModel):
    """On the air − meant, metres, east, north, up of the ARP."""

    station_id: int
    antenna_height_m: float | None
    virtual: bool
    east_m: float
    north_m: float
    up_m: float
    agrees: bool


class MessageOnAir(BaseModel):
    """A message type: the interval planned and the one heard, seconds; None where it is not."""

    number: int
    planned_s: float | None
    heard_s: float | None
    count: int


class BaseErrorEffect(BaseModel):
    """What an error of the base as large as its accuracy at 95 % does: metres at every point and at the farthest one."""

    shift_horizontal_m: float
    shift_up_m: float
    scale_ppm: float
    far_m: float
    far_scale_m: float
    far_height_m: float


class Suggested(BaseModel):
    base_url: str | None
    rover_url: str | None
    receiver_url: str | None
    station_id: int
    refers_to: RefersTo


class BaseView(BaseModel):
    setup: SetUp | None
    occupation: Occupation | None
    on_air: OnAir | None
    messages: list[MessageOnAir]
    effect: BaseErrorEffect | None
    findings: list[Finding]
    questions: list[Question]
    cautions: list[str]
    photos: list[Photo]
    given_up: bool
    heights: BaseHeights
    sources: Sources
    average: Average | None
    earlier: list[Earlier]
    suggested: Suggested


class SolutionWish(BaseModel):
    """A static solution as typed or pasted; lengths and angles as text, sigmas one standard deviation."""

    occupation_id: ShortText
    latitude: ShortText = ""
    longitude: ShortText = ""
    height: ShortText = ""
    pasted: Text = ""
    frame: ShortText = ""
    epoch: ShortText = ""
    sigma_horizontal: ShortText = ""
    sigma_vertical: ShortText = ""
    reason: Text = ""
    accepted: bool = False
    unlock: bool = False


class MovedPoint(BaseModel):
    name: str
    moves_east_m: float
    moves_north_m: float
    moves_up_m: float
    before: str
    after: str


class SolutionPreview(BaseModel):
    """What a static solution would move: solution − present, metres."""

    latitude_deg: float
    longitude_deg: float
    height_m: float
    east_m: float
    north_m: float
    up_m: float
    points: list[MovedPoint]
    finding: Finding
    locked: bool


class RestoreCoordinate(BaseModel):
    occupation_id: ShortText
    coordinate_id: ShortText
    reason: Text
    unlock: bool = False
