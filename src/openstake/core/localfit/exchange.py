"""What a horizontal fit would leave with two names the other way round: every pair of marks from the same sums, no refit."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from openstake.core.localfit.horizontal import Horizontal
from openstake.core.localfit.pair import Pair


def exchanged_square_sums(pairs: Sequence[Pair], fit: Horizontal) -> NDArray[np.float64]:
    """Return Σ w v² of the fit after the local coordinates of two used marks are exchanged, (m, m); inf on the diagonal."""
    gnss = np.array([(pairs[n].gnss_e_m, pairs[n].gnss_n_m) for n in fit.used])
    local = np.array([(pairs[n].local_e_m, pairs[n].local_n_m) for n in fit.used])
    centre = np.array(fit.centre_m)
    g, t = gnss - centre, local - fit.to_local(centre[:1], centre[1:])[0]
    w, total = fit.weights, float(fit.weights.sum())
    apart = t[None, :, :] - t[:, None, :]  # [i, j]: what i is given after the exchange, less what it had
    lever = (w[:, None] * g)[:, None, :] - (w[:, None] * g)[None, :, :]
    more = w[:, None] - w[None, :]
    along = float(w @ np.sum(g * t, axis=1)) + np.sum(lever * apart, axis=2)
    across = float(w @ (g[:, 0] * t[:, 1] - g[:, 1] * t[:, 0])) + lever[..., 0] * apart[..., 1] - lever[..., 1] * apart[..., 0]
    squares = np.sum(t**2, axis=1)
    moved = more[..., None] * apart / total
    given = float(w @ squares) + more * (squares[None, :] - squares[:, None]) - total * np.sum(moved**2, axis=2)
    found = given + _of_parameters(fit, along, across)
    np.fill_diagonal(found, np.inf)
    return np.asarray(np.maximum(found, 0.0))


def _of_parameters(fit: Horizontal, along: NDArray[np.float64], across: NDArray[np.float64]) -> NDArray[np.float64]:
    """Return what the parameters take off the given squares: the closed form of each model."""
    if fit.model == "similarity":
        return -(along**2 + across**2) / fit.spread_m2
    own = fit.scale**2 * fit.spread_m2
    if fit.model == "rotation":
        return own - 2.0 * fit.scale * np.hypot(along, across)
    return own - 2.0 * (fit.a * along + fit.b * across)
