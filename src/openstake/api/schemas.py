"""What goes over HTTP.  The front end's types are generated from these."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import BaseModel, Field

LengthUnit = Literal["m", "ft", "sft"]
RefersTo = Literal["apc", "arp", "mark"]
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
    """Words of a name, a place or a code; a latitude and longitude that the area must hold."""

    text: ShortText = ""
    latitude: ShortText = ""
    longitude: ShortText = ""


class Systems(BaseModel):
    systems: list[SystemFound]


class FormField(BaseModel):
    """One field of a form; `fields` are those of a group or of a table's row."""

    name: str
    label: str
    kind: str
    unit: str
    options: list[str]
    hint: str
    optional: bool
    fields: list[FormField]


Typed = dict[str, Any]


class SystemForms(BaseModel):
    forms: dict[str, list[FormField]]
    position_frames: list[str]
    mark: list[FormField]


class SystemWish(BaseModel):
    """A coordinate system as chosen: by code, by WKT or PROJ text, by its parameters, or an assumed local one."""

    kind: Literal["code", "text", "own", "local"]
    code: int | None = None
    text: Annotated[str, Field(max_length=20_000)] = ""
    label: ShortText = ""
    own: Typed | None = None
    anchor: Typed | None = None


class LengthQuery(BaseModel):
    text: ShortText
    length_unit: LengthUnit = "m"


class Length(BaseModel):
    """A length as typed: what is stored, and in words."""

    metres: float
    words: str


class TrySystem(BaseModel):
    system: SystemWish
    length_unit: LengthUnit = "m"
    job_id: ShortText | None = None
    latitude: ShortText = ""
    longitude: ShortText = ""


class GridPlace(BaseModel):
    east_m: float
    north_m: float


class TriedMark(BaseModel):
    name: str
    latitude_deg: float | None
    longitude_deg: float | None
    inside: bool


class Finding(BaseModel):
    code: str
    link: str
    severity: Literal["stop", "look", "note"]
    sentence: str
    cause: str
    action: str
    source: str
    numbers: dict[str, float | int | str]
    field: str


class TriedSystem(BaseModel):
    """A system tried out: where a typed place and the job's marks would fall."""

    label: str
    datum: str
    area: str
    definition: str
    place: GridPlace | None
    marks: list[TriedMark]
    findings: list[Finding]


class JobChanges(BaseModel):
    """What is to change; what is left out stays.  Lengths and angles as typed."""

    name: ShortText | None = None
    client: ShortText | None = None
    task: ShortText | None = None
    crew: ShortText | None = None
    time_zone: ShortText | None = None
    notes: Annotated[str, Field(max_length=10_000)] | None = None
    length_unit: LengthUnit | None = None
    system: SystemWish | None = None
    ground: Typed | None = None
    operation: Typed | None = None
    frame_name: ShortText | None = None
    frame_epoch: ShortText | None = None
    vertical_system: ShortText | None = None
    geoid_id: ShortText | None = None
    project_height: ShortText | None = None
    height_limit: ShortText | None = None
    latitude: ShortText | None = None
    longitude: ShortText | None = None
    archived: bool | None = None


class NewJob(JobChanges):
    name: ShortText
    length_unit: LengthUnit
    system: SystemWish


class ChangeJob(BaseModel):
    replaces_id: ShortText
    changes: JobChanges


class CopyJob(BaseModel):
    name: ShortText
    with_control: bool = False


class Anchor(BaseModel):
    latitude_deg: float
    longitude_deg: float
    height_m: float
    east_m: float
    north_m: float


class Ground(BaseModel):
    origin_name: str
    east_m: float
    north_m: float
    combined_factor: float


class Job(BaseModel):
    id: str
    settings_id: str
    name: str
    archived: bool
    client: str
    task: str
    crew: str
    time_zone: str
    notes: str
    practice: bool
    created_s: float
    length_unit: LengthUnit
    length_unit_word: str
    system_code: int | None
    system_name: str
    datum: str
    area: str
    system_unit: LengthUnit | None
    is_local: bool
    anchored: bool
    anchor: Anchor | None
    definition: str
    operation: str | None
    ground: Ground | None
    frame_name: str
    frame_epoch: str
    vertical_system: str
    geoid_id: str | None
    geoid_name: str | None
    project_height_m: float | None
    height_limit_m: float
    place_latitude_deg: float | None
    place_longitude_deg: float | None
    problem: str
    marks: int = 0


class JobsQuery(BaseModel):
    text: ShortText = ""
    archived: bool = False


class Jobs(BaseModel):
    jobs: list[Job]


class Factors(BaseModel):
    grid_scale: float
    conformal: bool
    convergence_deg: float
    elevation_factor: float
    combined_factor: float
    grid_scale_ppm: float
    elevation_ppm: float
    combined_ppm: float


class Place(BaseModel):
    latitude_deg: float
    longitude_deg: float


class SystemView(BaseModel):
    """The factors at the job's middle.  Grid distance = ground distance x combined factor."""

    place: Place | None
    height_m: float
    height_source: str
    factors: Factors | None
    ground: dict[str, float | str] | None
    findings: list[Finding]


class OperationsQuery(BaseModel):
    source: ShortText


class OperationFound(BaseModel):
    name: str
    accuracy_m: float | None


class Operations(BaseModel):
    operations: list[OperationFound]
    without_grid: list[str]


class Geoid(BaseModel):
    id: str
    name: str
    training_only: bool
    west_deg: float | None
    south_deg: float | None
    east_deg: float | None
    north_deg: float | None
    latitude_step_min: float | None
    longitude_step_min: float | None
    problem: str


class GeoidQuery(BaseModel):
    name: ShortText = ""


class Geoids(BaseModel):
    geoids: list[Geoid]


HeightKind = Literal["ellipsoidal", "elevation"]


class Mark(BaseModel):
    """A mark with its place in the job; `height_m` and `height_kind` are as given, the two other heights as derived."""

    id: str
    name: str
    given_as: Literal["grid", "geodetic"]
    east_m: float
    north_m: float
    latitude_deg: float | None
    longitude_deg: float | None
    height_m: float | None
    height_kind: HeightKind | None
    ellipsoidal_height_m: float | None
    elevation_m: float | None
    sigma_horizontal_m: float
    sigma_vertical_m: float
    order: str
    source: str
    note: str
    check_only: bool
    typed: dict[str, str]


class MarksQuery(BaseModel):
    text: ShortText = ""
    withdrawn: bool = False


class Marks(BaseModel):
    marks: list[Mark]
    total: int
    matching: int


class NewMark(BaseModel):
    values: Typed


class ChangeMark(BaseModel):
    values: Typed = {}
    reason: Text
    withdraw: bool = False


class MarkVersion(BaseModel):
    mark: Mark
    reason: str
    withdrawn: bool
    created_s: float


class MarkVersions(BaseModel):
    versions: list[MarkVersion]


class BetweenQuery(BaseModel):
    from_id: ShortText
    to_id: ShortText


class Between(BaseModel):
    """From one mark to another: distance in the job's coordinates, the one on the ground, grid bearing, rise."""

    from_name: str
    to_name: str
    distance_m: float
    ground_distance_m: float | None
    bearing_deg: float
    rise_m: float | None


class PlanMarks(BaseModel):
    """Marks in columns, so that many stay small."""

    id: list[str]
    name: list[str]
    east_m: list[float]
    north_m: list[float]
    check_only: list[bool]


class PlanPoint(BaseModel):
    id: str
    name: str
    east_m: float
    north_m: float
    height_m: float
    from_base: bool


class PlanBase(BaseModel):
    east_m: float
    north_m: float
    station_id: int


class Plan(BaseModel):
    marks: PlanMarks
    points: list[PlanPoint]
    base: PlanBase | None
    convergence_deg: float | None


class ControlFile(BaseModel):
    """A control list, base64, with what a person has said about it so far."""

    name: ShortText
    content_base64: str
    unit: LengthUnit | None = None
    roles: list[str] | None = None
    height_kind: HeightKind | None = None


class Column(BaseModel):
    role: str
    header: str | None


class GivenMark(BaseModel):
    """A mark as a line gives it."""

    name: str
    east_m: float | None
    north_m: float | None
    latitude_deg: float | None
    longitude_deg: float | None
    height_m: float | None
    height_kind: HeightKind | None
    sigma_horizontal_m: float | None
    sigma_vertical_m: float | None
    order: str
    source: str
    note: str
    check_only: bool


class ControlRow(BaseModel):
    line: int
    cells: list[str]
    accepted: bool
    refusal: str
    mark: GivenMark | None


class ControlPreview(BaseModel):
    """How a list would be read; of many lines the refused ones and the first are shown."""

    format: Literal["CSV", "GeoJSON", "LandXML"]
    encoding: str
    delimiter: str
    unit: LengthUnit
    unit_stated: bool
    height_kind: HeightKind | None
    asks_height_kind: bool
    columns: list[Column]
    rows: list[ControlRow]
    accepted: int
    refused: int
    questions: list[str]
    findings: list[Finding]


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
    fixed_height_m: float | None


class ToleranceSet(BaseModel):
    name: Literal["control", "topography"]
    horizontal_m: float
    vertical_m: float


class Heights(BaseModel):
    """What heights are measured to in a job, and the limits of checks."""

    base_features: list[Feature]
    rover_features: list[Feature]
    rover_height_text: str
    tolerances: list[ToleranceSet]


class GearForm(BaseModel):
    kind: str
    word: str
    fields: list[FormField]


class GearItem(BaseModel):
    """A thing of the kit; of a password only whether there is one."""

    id: str
    kind: str
    name: str
    data: Typed
    has_password: bool


class Kit(BaseModel):
    forms: list[GearForm]
    items: list[GearItem]


class SaveGear(BaseModel):
    kind: ShortText
    values: Typed
    length_unit: LengthUnit = "m"
    replaces_id: ShortText | None = None
    password: ShortText | None = None


class FileSent(BaseModel):
    """A file, base64."""

    name: ShortText = ""
    content_base64: str


class Antennas(BaseModel):
    antennas: list[Typed]
    satellites: int
    refused: list[str]


class ProfileForm(BaseModel):
    fields: list[FormField]
    gear_fields: dict[str, str]
    roles: list[str]


class Profile(BaseModel):
    id: str
    line_id: str
    version: int
    name: str
    role: str
    created_s: float
    chosen: bool
    data: Typed


class Profiles(BaseModel):
    profiles: list[Profile]


class NewProfileQuery(BaseModel):
    role: ShortText


class ProfileValues(BaseModel):
    values: Typed


class SaveProfile(BaseModel):
    values: Typed
    length_unit: LengthUnit = "m"
    replaces_id: ShortText | None = None


class ChooseProfile(BaseModel):
    line_id: ShortText
    chosen: bool


class PairRow(BaseModel):
    """One setting at both ends, as their profiles have it."""

    field: str
    label: str
    unit: str
    base: str | bool | float | int | None
    rover: str | bool | float | int | None
    state: Literal["equal", "different", "not known", "not needed"]


class Pair(BaseModel):
    agrees: bool
    base: str
    rover: str
    base_id: str
    rover_id: str
    rows: list[PairRow]
    findings: list[Finding]


class AirRemedy(BaseModel):
    words: str
    share: float
    bits_per_second: float
    fits: bool


class AirLoad(BaseModel):
    bytes_per_epoch: int
    bits_per_second: float
    share: float
    duty: float
    latency_s: float
    fits: bool
    rate_bps: float
    packet_bytes: int | None
    packet_time_on_air_s: float | None
    findings: list[Finding]
    remedies: list[AirRemedy]


class LinkQuery(BaseModel):
    """What to expect in the sky; spreading factor, bandwidth and coding of a chirp link in place of the profile's rate."""

    satellites: ShortText = ""
    signals: Annotated[int, Field(ge=1, le=8)] = 2
    duty_limit: ShortText = ""
    spreading_factor: Annotated[int, Field(ge=5, le=12)] | None = None
    bandwidth_khz: Annotated[float, Field(ge=1, le=2000)] | None = None
    coding_denominator: Annotated[int, Field(ge=5, le=8)] | None = None


class LinkView(BaseModel):
    """The pair sheets of the job's base with its rovers, and the load of what it sends."""

    base: str | None
    other_bases: list[str]
    pairs: list[Pair]
    air: AirLoad | None
    satellites: str
    signals: int


class Mend(BaseModel):
    field: ShortText
    take: Literal["base", "rover"]
    base_id: ShortText
    rover_id: ShortText


class CasterWish(BaseModel):
    """Which caster: an account of the kit, or typed; a password is written and never read."""

    account_id: ShortText | None = None
    host: ShortText = ""
    port: Annotated[int, Field(ge=1, le=65535)] = 2101
    user: ShortText = ""
    password: ShortText = ""
    tls: bool = False


class TableRow(BaseModel):
    mountpoint: str
    place: str
    format: str
    systems: str
    network: bool
    needs_gga: bool
    distance_km: float | None
    far: bool


class SourceTable(BaseModel):
    """A caster's streams, the nearest first; rows that cannot be read with the reason."""

    rows: list[TableRow]
    refused: list[str]
    whole: bool


class TryMountpoint(BaseModel):
    caster: CasterWish
    mountpoint: ShortText
    seconds: Annotated[float, Field(ge=1, le=30)] = 8
    send_gga: bool = False
    push: bool = False


class StationHeard(BaseModel):
    station_id: int
    virtual: bool
    latitude_deg: float
    longitude_deg: float


class PushAllowed(BaseModel):
    connected: bool
    sentence: str


class MountpointHeard(BaseModel):
    """What a mountpoint does; connected and sending are two lights."""

    connected: bool
    sending: bool
    outcome: str | None
    sentence: str
    frames: int
    messages: list[int]
    constellations: list[str]
    gga_sent: int
    distance_km: float | None
    stations: list[StationHeard]
    push: PushAllowed | None
    findings: list[Finding]


class TakeMountpoint(BaseModel):
    caster: CasterWish
    mountpoint: ShortText
    profile_id: ShortText


class PairQuery(BaseModel):
    base_id: ShortText
    rover_id: ShortText


class CardLine(BaseModel):
    key: str
    words: str
    base: str
    rover: str
    done: bool
    at_s: float | None


class Card(BaseModel):
    """The setup card of a pair, in working order."""

    base: str
    rover: str
    cautions: list[str]
    lines: list[CardLine]


class TickCard(BaseModel):
    base_id: ShortText
    rover_id: ShortText
    key: ShortText
    done: bool


class ReachQuery(BaseModel):
    """Texts as typed; empty for what the profile and the kit say."""

    distance_km: ShortText = ""
    rover_height: ShortText = ""
    sensitivity_dbm: ShortText = ""
    margin_db: ShortText = ""
    base_height: ShortText = ""


class PowerLevel(BaseModel):
    power_w: float
    reach_km: float
    margin_db: float | None
    battery_hours: float | None
    public_m: float
    worker_m: float


class Trade(BaseModel):
    raised_db: float
    raised_km: float
    doubled_db: float
    doubled_km: float


class Reach(BaseModel):
    """What each power of the base's radio gives, by rule and without terrain."""

    available: bool
    path: dict[str, float] | None
    distance_km: float | None
    horizon_km: float | None
    fresnel_m: float | None
    lowest_power_w: float | None
    duty: float | None = None
    levels: list[PowerLevel]
    trade: Trade | None


class PackingItem(BaseModel):
    key: str
    group: Literal["charge", "pack", "look"]
    what: str
    why: str
    done: bool
    at_s: float | None


class Packing(BaseModel):
    profiles: list[str]
    items: list[PackingItem]


class Tick(BaseModel):
    key: ShortText
    done: bool


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
    receiver_feed: FeedStatus | None
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
    base_height_reading_ids: list[str]
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
