"""The plan of checks: which marks prove a base, what each still lacks, and when everything is due again.

*Near*: a mark close to the base.  *Far*: beyond 1 km, or the farthest of the list.  *Height*: two or three benchmarks spread over
the site; near and far count where their heights are known.  Each is measured, measured again after a new initialisation (counted
only where the epochs show the fix lost and regained), and again after a stated time.  All is due again two hours after the last
check, after a restart of the base, and after a battery or a channel was changed; and at close.

Source: common practice, no source.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from math import hypot
from typing import Literal

from openstake.core.chain import State
from openstake.core.describe import described
from openstake.core.errors import InputError
from openstake.core.limits import FAR_FROM_M, FAR_WITHIN_M, SPREAD_FROM, TOLERANCES, Tolerance
from openstake.core.units import text_from_seconds, whole_from_metres

Role = Literal["near", "far", "height"]
TaskName = Literal["measure", "initialise anew", "come back"]
_MOST_BENCHMARKS = 3


@dataclass(frozen=True, kw_only=True)
class ToleranceSet:
    """How far a check may be off for one kind of work, metres, and on whose word."""

    name: str = described("Kind of work", "text")
    horizontal_m: float = described("Horizontal", "length", least=0.001, most=10.0)
    vertical_m: float = described("Vertical", "length", least=0.001, most=10.0)
    origin: str = described("Origin", "text", default="", hint="The standard, contract or practice it comes from.")

    @property
    def tolerance(self) -> Tolerance:
        return Tolerance(self.horizontal_m, self.vertical_m)


USUAL_TOLERANCES = tuple(
    ToleranceSet(name=name, horizontal_m=item.horizontal_m, vertical_m=item.vertical_m, origin="common practice, no source")
    for name, item in TOLERANCES.items()
)


@dataclass(frozen=True, kw_only=True)
class CheckSettings:
    """How a job is checked: tolerance sets, marks in place of those proposed, and when checks are repeated."""

    tolerances: tuple[ToleranceSet, ...] = described("Tolerances", "table", default=USUAL_TOLERANCES)
    near: str = described("Near mark", "text", default="", hint="Empty: the nearest one.")
    far: str = described("Far mark", "text", default="", hint="Empty: the farthest one.")
    benchmarks: tuple[str, ...] = described("Benchmarks", "list", default=(), hint="Empty: two or three spread over the site.")
    come_back_min: float = described("Come back after", "number", unit="min", default=30.0, least=0.0, most=1440.0, hint="0: not asked.")
    due_again_h: float = described("All due again after", "number", unit="h", default=2.0, least=0.1, most=24.0)

    def tolerance_set(self, name: str) -> ToleranceSet:
        """Return a set by its name; InputError where there is none."""
        found = next((item for item in self.tolerances if item.name == name), None)
        if found is None:
            raise InputError(
                f"'{name[:40]}' is not a tolerance of this job: {', '.join(item.name for item in self.tolerances)}.", field="tolerance"
            )
        return found


def checked_settings(settings: CheckSettings) -> CheckSettings:
    """Return settings that can be used: at least one tolerance set, each name once."""
    names = [item.name for item in settings.tolerances]
    if not names:
        raise InputError("Keep at least one tolerance.", field="tolerances")
    twice = next((name for name in names if names.count(name) > 1), None)
    if twice is not None:
        raise InputError(f"The tolerance {twice} stands in the list twice.", field="tolerances")
    return settings


# --- which marks ---


@dataclass(frozen=True, kw_only=True)
class Candidate:
    """A mark that may be checked: grid metres; `has_height`: its height can be compared."""

    mark_id: str
    name: str
    east_m: float
    north_m: float
    has_height: bool


@dataclass(frozen=True, kw_only=True)
class Planned:
    """A mark of the plan and what it proves; `distance_m` is from the base, in the grid."""

    mark_id: str
    mark_name: str
    roles: tuple[Role, ...]
    east_m: float
    north_m: float
    distance_m: float
    why: str


def plan_of_marks(
    base_m: tuple[float, float], candidates: Sequence[Candidate], settings: CheckSettings, unit: str = "m"
) -> tuple[Planned, ...]:
    """Return which marks are to be checked from a base at grid east and north, the near one first.

    `candidates` are without the base's own mark and without the one it was re-seated on.  InputError where settings name a mark
    that is none of them.
    """
    away = {item.mark_id: hypot(item.east_m - base_m[0], item.north_m - base_m[1]) for item in candidates}
    by_name = {item.name: item for item in candidates}

    def named(name: str, field: str) -> Candidate:
        if name not in by_name:
            raise InputError(f"{name} cannot be checked from here: it is not in the list, or the base stands on it.", field=field)
        return by_name[name]

    ordered = sorted(candidates, key=lambda item: (away[item.mark_id], item.name))
    within = [item for item in ordered if away[item.mark_id] <= FAR_WITHIN_M]
    near = named(settings.near, "near") if settings.near else next(iter(within), None)
    others = [item for item in within if near is None or item.mark_id != near.mark_id]
    far = named(settings.far, "far") if settings.far else (others[-1] if others else None)
    roles: dict[str, list[Role]] = {}
    for item, role in ((near, "near"), (far, "far")):
        if item is not None:
            roles.setdefault(item.mark_id, []).append(role)  # type: ignore[arg-type]
    if settings.benchmarks:
        benchmarks = [named(name, "benchmarks") for name in settings.benchmarks]
    else:
        benchmarks = _spread([item for item in (near, far) if item is not None and item.has_height], within, base_m)
    for item in benchmarks:
        roles.setdefault(item.mark_id, []).append("height")
    return tuple(
        Planned(
            mark_id=item.mark_id,
            mark_name=item.name,
            roles=tuple(roles[item.mark_id]),
            east_m=item.east_m,
            north_m=item.north_m,
            distance_m=away[item.mark_id],
            why=_why(away[item.mark_id], roles[item.mark_id], unit),
        )
        for item in ordered
        if item.mark_id in roles
    )


def _spread(chosen: list[Candidate], within: Sequence[Candidate], base_m: tuple[float, float]) -> list[Candidate]:
    """Return benchmarks: those chosen, and up to three in all, each as far as can be from the base and the others."""
    chosen = list({item.mark_id: item for item in chosen}.values())
    reach = max((hypot(item.east_m - base_m[0], item.north_m - base_m[1]) for item in within), default=0.0)

    def apart(item: Candidate) -> float:
        places = [base_m, *((other.east_m, other.north_m) for other in chosen)]
        return min(hypot(item.east_m - east, item.north_m - north) for east, north in places)

    while len(chosen) < _MOST_BENCHMARKS:
        left = [item for item in within if item.has_height and item not in chosen]
        best = max(left, key=lambda item: (apart(item), item.name), default=None)
        if best is None or (len(chosen) >= 2 and apart(best) < SPREAD_FROM * reach):
            break
        chosen.append(best)
    return chosen


def _why(distance_m: float, roles: Sequence[Role], unit: str) -> str:
    """Say what a mark of the plan is for: `1420 m from the base: far, height`."""
    far = "far" if distance_m >= FAR_FROM_M else "far as the list goes"
    words = {"near": "near", "far": far, "height": "height"}
    return f"{whole_from_metres(distance_m, unit)} from the base: {', '.join(words[role] for role in roles)}"


# --- what has been done ---


@dataclass(frozen=True, kw_only=True)
class CheckDone:
    """A check of a mark from the base that runs.

    `counts`: fixed throughout and a vector of this base; `initialised_s`: since when its fix held, None where the epochs do not
    show it.
    """

    shot_id: str
    mark_id: str
    mark_name: str
    at_s: float
    agrees: bool
    stale: bool
    counts: bool
    height_compared: bool
    initialised_s: float | None

    @property
    def proves(self) -> bool:
        return self.agrees and self.counts and not self.stale


@dataclass(frozen=True)
class Change:
    """Something after which all is checked again: what it was, in words, host seconds."""

    at_s: float
    words: str


@dataclass(frozen=True, kw_only=True)
class Task:
    """One thing that a mark of the plan asks for; `due_s`: from when on it can be done (host seconds), None at once."""

    name: TaskName
    words: str
    done: bool
    due_s: float | None = None


@dataclass(frozen=True, kw_only=True)
class PlannedNow:
    """A mark of the plan as it stands; `note` is what its tasks do not say of it, empty where they say all."""

    planned: Planned
    state: State
    why: str
    note: str
    tasks: tuple[Task, ...]

    @property
    def fulfilled(self) -> bool:
        return all(task.done for task in self.tasks)


@dataclass(frozen=True, kw_only=True)
class NextCheck:
    """What to do next: on which mark, in one line; `wait_s` where it is too early, seconds."""

    mark_id: str
    mark_name: str
    task: TaskName
    words: str
    wait_s: float


@dataclass(frozen=True, kw_only=True)
class PlanNow:
    """The plan as it stands.  `due_again` says why everything is due again, empty where it is not; `lacks` what no plan can mend."""

    items: tuple[PlannedNow, ...]
    due_again: str
    due_again_s: float | None
    lacks: str
    fulfilled: bool
    next: NextCheck | None
    state: State
    why: str


def plan_now(
    planned: Sequence[Planned], done: Sequence[CheckDone], changes: Sequence[Change], settings: CheckSettings, now_s: float
) -> PlanNow:
    """Return the plan as it stands from all checks of a base, in any order."""
    ordered = sorted(done, key=lambda item: (item.at_s, item.shot_id))
    items = tuple(_item(mark, [one for one in ordered if one.mark_id == mark.mark_id], settings) for mark in planned)
    due_again, due_s = _due_again(ordered, changes, settings, now_s)
    roles = {role for mark in planned for role in mark.roles}
    lacks = (
        "No mark of the list can be checked from here."
        if not planned
        else "The list has one mark to check: nothing proves the far end of the job."
        if "far" not in roles
        else "No mark has a height that can be compared: heights stay unproven."
        if "height" not in roles
        else ""
    )
    newest = {one.mark_id: one for one in ordered}
    bad = any(not one.agrees for one in newest.values())
    fulfilled = bool(items) and not bad and not lacks and not due_again and all(item.fulfilled for item in items)
    following = _next(items, due_again, now_s)
    state, why = _overall(items, newest, due_again, lacks, fulfilled)
    return PlanNow(
        items=items, due_again=due_again, due_again_s=due_s, lacks=lacks, fulfilled=fulfilled, next=following, state=state, why=why
    )


def _item(mark: Planned, checks: Sequence[CheckDone], settings: CheckSettings) -> PlannedNow:
    proving = [one for one in checks if one.proves and (one.height_compared or "height" not in mark.roles)]
    # Who disagreed and then agreed has to agree twice: which of two was false, a third shows.
    bad = [one.at_s for one in checks if not one.agrees and not one.stale]
    proving = [one for one in proving if not bad or one.at_s > bad[-1]]
    starts = {one.initialised_s for one in proving if one.initialised_s is not None}
    tasks = [
        Task(name="measure", words="measured", done=bool(proving)),
        Task(name="initialise anew", words="after a new initialisation", done=len(starts) >= 2),
    ]
    if settings.come_back_min > 0.0:
        first = proving[0].at_s if proving else None
        due = None if first is None else first + 60.0 * settings.come_back_min
        back = due is not None and proving[-1].at_s >= due
        tasks.append(Task(name="come back", words=f"after {settings.come_back_min:g} min", done=back, due_s=due))
    state, why = _state(mark, checks, tasks)
    tasks_say = state in (State.CHECKED, State.MISSING) or (state is State.ENTERED and tasks[0].done)
    return PlannedNow(planned=mark, state=state, why=why, note="" if tasks_say else why, tasks=tuple(tasks))


def _state(mark: Planned, checks: Sequence[CheckDone], tasks: Sequence[Task]) -> tuple[State, str]:
    if not checks:
        return State.MISSING, "not measured yet"
    if not checks[-1].agrees:
        return State.DISAGREES, "outside its tolerance"
    left = [task.words for task in tasks if not task.done]
    if not left:
        return State.CHECKED, "agrees, each time"
    if not tasks[0].done:
        if all(one.stale for one in checks):
            return State.OUT_OF_DATE, "something it rests on has changed: measure it again"
        if "height" in mark.roles and not any(one.height_compared for one in checks):
            return State.ENTERED, "its height was not compared"
        return State.ENTERED, "no check of it counts: not fixed throughout, or not from this base"
    return State.ENTERED, f"agrees; still due {' and '.join(left)}"


def _due_again(ordered: Sequence[CheckDone], changes: Sequence[Change], settings: CheckSettings, now_s: float) -> tuple[str, float | None]:
    """Return why everything is due again, empty where it is not, and when it will be."""
    proving = [one for one in ordered if one.proves]
    if not proving:
        return "", None
    last = proving[-1].at_s
    since = [item for item in changes if item.at_s > last]
    if since:
        return f"{since[-1].words}: no check since", since[-1].at_s
    due = last + 3600.0 * settings.due_again_h
    if now_s >= due:
        return f"the last check is {text_from_seconds(now_s - last)} old", due
    return "", due


def _next(items: Sequence[PlannedNow], due_again: str, now_s: float) -> NextCheck | None:
    """Return what to do next: what disagrees, what is due again, what was never measured, what is to be repeated."""

    def of(item: PlannedNow, task: TaskName, words: str, wait_s: float = 0.0) -> NextCheck:
        return NextCheck(mark_id=item.planned.mark_id, mark_name=item.planned.mark_name, task=task, words=words, wait_s=wait_s)

    for item in items:
        if item.state is State.DISAGREES:
            return of(item, "measure", f"Find out why {item.planned.mark_name} disagrees, then measure it again.")
    if due_again and items:
        return of(items[0], "measure", f"Check {items[0].planned.mark_name} again: {due_again}.")
    for name, words in (("measure", "Measure {mark}"), ("initialise anew", "Re-initialise on {mark} and measure it again")):
        for item in items:
            if any(task.name == name and not task.done for task in item.tasks):
                mark = item.planned
                return of(item, name, f"{words.format(mark=mark.mark_name)} ({mark.why}).")  # type: ignore[arg-type]
    waiting = [(task.due_s or now_s, item) for item in items for task in item.tasks if not task.done]
    if not waiting:
        return None
    due, item = min(waiting, key=lambda pair: pair[0])
    wait = max(0.0, due - now_s)
    when = f" in {text_from_seconds(wait)}" if wait > 0.0 else ""
    return of(item, "come back", f"Come back to {item.planned.mark_name}{when}: the satellites have moved by then.", wait)


def _overall(items: Sequence[PlannedNow], newest: dict[str, CheckDone], due_again: str, lacks: str, fulfilled: bool) -> tuple[State, str]:
    if not newest:
        return State.MISSING, "no mark checked from this base"
    bad = [one.mark_name for one in newest.values() if not one.agrees]
    if bad:
        return State.DISAGREES, f"{', '.join(bad)} outside tolerance"
    # What proves nothing anyway (the mark a base was re-seated on) need not be measured again.
    stale = [one.mark_name for one in newest.values() if one.stale and one.counts]
    if stale:
        return State.OUT_OF_DATE, f"something changed since the check of {', '.join(stale)}: measure again"
    if due_again:
        return State.OUT_OF_DATE, f"due again: {due_again}"
    if fulfilled:
        return State.CHECKED, f"{len(items)} marks agree, each time"
    left = [item.planned.mark_name for item in items if not item.fulfilled]
    return State.ENTERED, f"still open: {', '.join(left)}" if left else lacks[:1].lower() + lacks[1:].rstrip(".")
