"""What goes over HTTP.  The front end's types are generated from these."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import BaseModel, Field

LengthUnit = Literal["m", "ft", "sft"]
StepName = Literal["job", "kit", "sky", "link", "base", "watch", "check", "fit", "book"]
State = Literal["checked", "entered", "missing", "disagrees", "out of date"]
StatusWord = Literal["none", "single", "dgps", "float", "fixed", "other"]
Text = Annotated[str, Field(max_length=2000)]
ShortText = Annotated[str, Field(max_length=200)]
Seconds = Annotated[float, Field(ge=0, le=86400)]


class Problem(BaseModel):
    """A problem that a person can mend (RFC 9457)."""

    title: str
    detail: str
    status: int
    field: str | None = None


class Health(BaseModel):
    status: Literal["ok"]
    version: str
    started_s: float
    sessions: int


class SystemFound(BaseModel):
    code: int
    name: str
    area: str
    deprecated: bool
    unit: str


class SystemQuery(BaseModel):
    text: ShortText = ""


class Systems(BaseModel):
    systems: list[SystemFound]


class NewJob(BaseModel):
    name: str
    system_code: int
    length_unit: LengthUnit


class Job(BaseModel):
    id: str
    name: str
    system_code: int
    system_name: str
    datum: str
    area: str
    length_unit: LengthUnit
    length_unit_word: str
    practice: bool
    created_s: float
    marks: int = 0


class Jobs(BaseModel):
    jobs: list[Job]


class Mark(BaseModel):
    id: str
    name: str
    east_m: float
    north_m: float
    height_m: float | None
    height_kind: str | None
    sigma_horizontal_m: float
    sigma_vertical_m: float
    source: str
    note: str


class Marks(BaseModel):
    marks: list[Mark]


class ControlFile(BaseModel):
    """A control list, base64, with what a person has said about it so far."""

    name: ShortText
    content_base64: str
    unit: LengthUnit | None = None
    roles: list[str] | None = None
    height_kind: str | None = None


class Column(BaseModel):
    role: str
    header: str | None


class ControlRow(BaseModel):
    line: int
    cells: list[str]
    accepted: bool
    refusal: str
    name: str | None
    east_m: float | None
    north_m: float | None
    height_m: float | None


class ControlPreview(BaseModel):
    encoding: str
    delimiter: str
    unit: LengthUnit
    height_kind: str | None
    columns: list[Column]
    rows: list[ControlRow]
    accepted: int
    refused: int
    questions: list[str]


class Accepted(BaseModel):
    accepted: int
    refused: int


class Feature(BaseModel):
    name: str
    label: str
    method: str
    rim_radius_m: float
    feature_to_arp_m: float
    hint: str


class ToleranceSet(BaseModel):
    name: Literal["control", "topography"]
    horizontal_m: float
    vertical_m: float


class Kit(BaseModel):
    base_features: list[Feature]
    rover_features: list[Feature]
    rover_height_text: str
    tolerances: list[ToleranceSet]


class HeightQuery(BaseModel):
    reading: ShortText
    feature: ShortText
    subject: Literal["base", "rover"] = "base"


class Height(BaseModel):
    reading_m: float
    arp_height_m: float
    feature_to_arp_m: float
    rim_radius_m: float
    method: str
    text: str


class Finding(BaseModel):
    code: str
    link: str
    severity: Literal["stop", "look", "note"]
    sentence: str
    cause: str
    action: str
    source: str
    numbers: dict[str, float | int | str]


class Average(BaseModel):
    running: bool
    seconds: float
    elapsed_s: float
    problem: str
    count: int
    status: StatusWord
    latitude_deg: float | None
    longitude_deg: float | None
    height_m: float | None
    spread_horizontal_m: float | None
    spread_up_m: float | None
    accuracy_95_m: float


class AverageWish(BaseModel):
    url: ShortText | None = None
    seconds: Seconds = 10


class Listen(BaseModel):
    """Where to listen; the password is written and never read."""

    base_url: ShortText | None = None
    base_password: ShortText | None = None
    rover_url: ShortText | None = None
    refers_to: Literal["arp", "mark"] = "arp"


class StartBase(BaseModel):
    mark_id: ShortText
    reading: ShortText
    feature: ShortText
    source: Literal["mark", "average"]
    station_id: int
    listen: Listen


class CorrectHeight(BaseModel):
    replaces_id: ShortText
    reading: ShortText
    feature: ShortText
    reason: Text


class Occupation(BaseModel):
    id: str
    mark_id: str
    mark_name: str
    station_id: int
    started_s: float
    height_reading_id: str
    height_text: str
    height_feature: str
    height_feature_name: str
    height_method: str
    arp_height_m: float
    height_corrected: bool
    source: str
    source_detail: str
    frame: str
    frame_epoch: str
    accuracy_horizontal_95_m: float
    accuracy_vertical_95_m: float
    latitude_deg: float
    longitude_deg: float
    arp_ellipsoidal_height_m: float
    base_url: str | None
    rover_url: str | None
    refers_to: Literal["arp", "mark"]


class OnAir(BaseModel):
    """On the air − meant, metres, east, north, up of the ARP."""

    station_id: int
    antenna_height_m: float | None
    virtual: bool
    east_m: float
    north_m: float
    up_m: float
    agrees: bool


class Suggested(BaseModel):
    base_url: str | None
    rover_url: str | None
    receiver_url: str | None
    station_id: int


class BaseView(BaseModel):
    occupation: Occupation | None
    on_air: OnAir | None
    findings: list[Finding]
    average: Average | None
    suggested: Suggested


class FeedStatus(BaseModel):
    state: Literal["connecting", "connected", "receiving", "silent", "broken", "ended"]
    sentence: str
    since_s: float
    received_bytes: int
    last_byte_s: float | None


class Observable(BaseModel):
    constellation: str
    form: str
    satellites: int


class ShotInHand(BaseModel):
    id: str
    wanted_s: float
    collected_s: float
    epochs: int
    waiting_for: str


class Live(BaseModel):
    """The state of the moment; the 95 % values are the receiver's own claim."""

    status: StatusWord
    status_word: str
    time_of_day_s: float | None
    host_time_s: float | None
    age_s: float | None
    satellites: int | None
    pdop: float | None
    hdop: float | None
    vdop: float | None
    horizontal_95_m: float | None
    vertical_95_m: float | None
    station_id: int | None
    distance_m: float | None
    base_feed: FeedStatus | None
    rover_feed: FeedStatus | None
    observables: list[Observable]
    reference_settled: bool
    storing_problem: str
    shot: ShotInHand | None


class WatchView(BaseModel):
    running: bool
    live: Live | None


class HistoryQuery(BaseModel):
    seconds: Seconds = 600


class History(BaseModel):
    from_s: float
    to_s: float
    time_s: list[float]
    status: list[StatusWord]
    age_s: list[float | None]
    satellites: list[int | None]
    horizontal_95_m: list[float | None]
    vertical_95_m: list[float | None]


class RecordCheck(BaseModel):
    mark_id: ShortText
    seconds: Seconds
    reading: ShortText
    feature: ShortText
    fixed_only: bool = True
    tolerance: Literal["control", "topography"] = "control"


class Recording(BaseModel):
    id: str


class Check(BaseModel):
    """A check as it stands now: observed − known, metres; `up_m` is null where heights cannot be compared."""

    id: str
    mark_id: str
    mark_name: str
    occupation_id: str
    created_s: float
    seconds: float
    epochs: int
    effective_n: float | None
    east_m: float
    north_m: float
    up_m: float | None
    horizontal_m: float
    words: str
    tolerance_horizontal_m: float
    tolerance_vertical_m: float
    expected_horizontal_95_m: float
    expected_vertical_95_m: float
    expected_semi_axis_east_m: float
    expected_semi_axis_north_m: float
    covariance_origin: str
    agrees: bool
    horizontal_agrees: bool
    vertical_agrees: bool
    stale: bool
    verdict_word: str
    point_east_m: float
    point_north_m: float
    point_height_m: float
    base_height_reading_id: str
    base_coordinate_id: str
    findings: list[Finding]


class Checks(BaseModel):
    checks: list[Check]


class BookLine(BaseModel):
    id: str
    sequence: int
    at_s: float
    kind: str
    sentence: str
    side: Literal["crew", "machine"]
    hash: str


class Verification(BaseModel):
    whole: bool
    entries: int
    devices: int
    last_hash: str
    break_at: int | None
    sentence: str


class BookView(BaseModel):
    lines: list[BookLine]
    verification: Verification


class StepState(BaseModel):
    step: StepName
    state: State
    why: str


class Steps(BaseModel):
    steps: list[StepState]


class Stand(BaseModel):
    who: Literal["base", "rover"]
    mark_id: ShortText


class StandView(BaseModel):
    practice: bool
    base_mark: str | None
    rover_mark: str | None
    tape_m: float | None
    rod_m: float | None


class Nothing(BaseModel):
    """Done; there is nothing more to say."""

    done: Literal[True] = True
