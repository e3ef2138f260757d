"""Seeded days of checks with one mistake each, truth known: what the cause-finder is tried on.

Errors have 5 to 20 times the sigma of what shows them: a parameter is scaled so that its signal, whitened by the covariance of the
checks, is as long as that.  Six to nine marks about a base, three to seven of them checked once or more within five hours.
"""

import numpy as np

from openstake.core.causes import CheckSeen, NamedUp, Place, SiteSeen

SHOT_M = np.array([0.007, 0.007, 0.012])
MARK_M = np.array([0.005, 0.005, 0.008])
EAST_M, NORTH_M = 703_412.361, 629_805.118
FRAME_M = np.array([0.62, 0.55, 0.03])


class Day:
    """One day of checks without a mistake; `add` puts one in."""

    def __init__(self, rng):
        self.rng = rng
        self.base = Place(name="B", east_m=EAST_M, north_m=NORTH_M, height_m=20.0)
        self.marks = [self._mark(n) for n in range(rng.integers(6, 10))]
        visited = rng.permutation(len(self.marks))[: rng.integers(3, min(8, len(self.marks) + 1))]
        walk = np.concatenate([visited, rng.choice(visited, rng.integers(0, 4))])
        rng.shuffle(walk)
        self.walk = [self.marks[n] for n in walk]
        self.hours = np.sort(rng.uniform(0.2, 5.0, len(walk)))
        own = {mark.name: rng.normal(size=3) * MARK_M for mark in self.marks}
        common = rng.normal(size=3) * MARK_M
        self.off = np.array([rng.normal(size=3) * SHOT_M + own[mark.name] + common for mark in self.walk])
        # Half of the days have two poles, changed once or by turns; drawn apart, so that the days are those of before there were poles.
        self._poles = rng.spawn(1)[0]
        self.poles = self._two_poles() if self._poles.random() < 0.5 else np.zeros(len(walk), dtype=bool)

    def _two_poles(self):
        """Return which checks are measured with the second pole, at least one with each."""
        count = len(self.walk)
        if self._poles.random() < 0.5:
            return np.arange(count) >= self._poles.integers(1, count)
        turns = self._poles.random(count) < 0.5
        turns[self._poles.permutation(count)[:2]] = [True, False]
        return turns

    def _mark(self, n):
        bearing, reach = self.rng.uniform(0, 2 * np.pi), np.exp(self.rng.uniform(np.log(60.0), np.log(2000.0)))
        return Place(
            name=f"M{n}",
            east_m=EAST_M + reach * np.sin(bearing),
            north_m=NORTH_M + reach * np.cos(bearing),
            height_m=20.0 + self.rng.normal(0.0, 8.0),
        )

    @property
    def away(self):
        return np.array([(mark.east_m - EAST_M, mark.north_m - NORTH_M) for mark in self.walk])

    def column(self, east=0.0, north=0.0, up=0.0):
        return np.array(np.broadcast_arrays(east, north, up, np.zeros(len(self.walk)))[:3]).T

    def add(self, *columns):
        """Add a random mix of columns, (n, 3) each, 5 to 20 sigmas long."""
        names = [mark.name for mark in self.walk]
        same = np.array([[one == other for other in names] for one in names], dtype=float)
        white = []
        for part in range(3):
            covariance = np.eye(len(names)) * SHOT_M[part] ** 2 + (same + 1.0) * MARK_M[part] ** 2
            root = np.linalg.cholesky(covariance)
            white.append(np.array([np.linalg.solve(root, column[:, part]) for column in columns]))
        signal = np.concatenate(white, axis=1)
        mix = self.rng.normal(size=len(columns))
        mix *= self.rng.uniform(5.0, 20.0) / np.linalg.norm(mix @ signal)
        self.off = self.off + np.einsum("c,cnk->nk", mix, np.array(columns))

    def seen(self):
        checks = [
            CheckSeen(
                mark=mark.name,
                east_m=mark.east_m,
                north_m=mark.north_m,
                off_m=tuple(map(float, off)),
                sigma_m=tuple(SHOT_M),
                mark_sigma_m=(MARK_M[0], MARK_M[2]),
                at_h=hour,
                pole="second" if second else "first",
            )
            for mark, off, hour, second in zip(self.walk, self.off, self.hours, self.poles, strict=True)
        ]
        heights = tuple(NamedUp(up, words) for up, words in ((-2.0, "pole"), (1.546, "ARP"), (-0.0612, "phase centre"), (0.09, "digits")))
        frames = (("a frame", tuple(FRAME_M)),)
        return checks, SiteSeen(
            base=self.base, base_sigma_m=(MARK_M[0], MARK_M[2]), heights=heights, marks=(self.base, *self.marks), frames=frames
        )


def _apart(one, other):
    return np.array([one.east_m - other.east_m, one.north_m - other.north_m, one.height_m - other.height_m])


def _one_mark(day):
    name = day.rng.choice([mark.name for mark in day.walk])
    own = np.array([mark.name == name for mark in day.walk], dtype=float)
    flat, up = (day.column(east=own), day.column(north=own)), (day.column(up=own),)
    day.add(*(flat, up, (*flat, *up))[day.rng.integers(3)])


def _pole_of_these(day):
    day.poles = day._two_poles()
    day.add(day.column(up=day.poles.astype(float)))


def _pole_elsewhere(day):
    mark = day.walk[day.rng.integers(len(day.walk))]
    others = [one for one in day.marks if one.name != mark.name]
    other = others[day.rng.integers(len(others))]
    own = np.array([one.name == mark.name for one in day.walk], dtype=float)
    day.off = day.off + own[:, None] * _apart(other, mark)


def _another_system(day):
    east, north = day.away.T
    for columns in ((day.column(east, north),), (day.column(north, -east),), (day.column(1.0), day.column(0.0, 1.0))):
        day.add(*columns)


def _bumped(day):
    after = (np.arange(len(day.walk)) >= day.rng.integers(1, len(day.walk) - 1)).astype(float)
    up = day.column(up=after)
    day.add(*((day.column(after), day.column(0.0, after), up) if day.rng.random() < 0.5 else (up,)))


def _base_elsewhere(day):
    day.off = day.off + _apart(day.base, day.marks[day.rng.integers(len(day.marks))])


def _frame(day):
    day.off = day.off + day.rng.choice([-1.0, 1.0]) * FRAME_M


def _foot(day):
    places = np.array([(mark.east_m, mark.north_m, 0.0) for mark in day.walk])
    # 1 US survey foot = 1200/3937 m, 1 international foot = 0.3048 m (NIST SP 811): 2 ppm apart.
    day.off = day.off + day.rng.choice([-1.0, 1.0]) * (1200.0 / 3937.0 / 0.3048 - 1.0) * places


def _tilt(day):
    east, north = day.away.T
    day.add(day.column(up=east), day.column(up=north))


MISTAKES = {
    "none": lambda day: None,
    "height": lambda day: day.add(day.column(up=1.0)),
    "pole of these shots": _pole_of_these,
    "base coordinate": lambda day: day.add(day.column(1.0), day.column(0.0, 1.0)),
    "base on another mark": _base_elsewhere,
    "frame": _frame,
    "foot for foot": _foot,
    "one mark": _one_mark,
    "pole on another mark": _pole_elsewhere,
    "scale": lambda day: day.add(day.column(*day.away.T)),
    "rotation": lambda day: day.add(day.column(day.away[:, 1], -day.away[:, 0])),
    "another system": _another_system,
    "geoid": _tilt,
    "sinking": lambda day: day.add(day.column(up=day.hours)),
    "bumped": _bumped,
}


def day_of(cause, seed):
    """Return checks and site of one seeded day with a mistake."""
    rng = np.random.default_rng([20261127, list(MISTAKES).index(cause), seed])
    day = Day(rng)
    while len(day.walk) < 4 and cause == "bumped":  # before and after it, and neither alone
        day = Day(rng)
    MISTAKES[cause](day)
    return day.seen()
