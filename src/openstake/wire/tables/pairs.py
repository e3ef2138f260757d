"""The table of a local fit: a mark a line, its local coordinate and the GNSS one, and what it is used for."""

from __future__ import annotations

from openstake.core.errors import FileError
from openstake.core.localfit.pair import USES, Pair
from openstake.wire.tables.control_reading import LONGEST_NAME
from openstake.wire.tables.named_columns import FixedLine, fixed_table

MOST_BYTES = 8 << 20
MOST_PAIRS = 20_000
PLACES = ("local_e_m", "local_n_m", "gnss_e_m", "gnss_n_m")
HEIGHTS, SIGMAS = ("local_h_m", "gnss_h_m"), ("sigma_h_m", "sigma_v_m")
HEADER = ("name", "local_e_m", "local_n_m", "local_h_m", "gnss_e_m", "gnss_n_m", "gnss_h_m", "use")


def read_pairs(content: bytes) -> list[Pair]:
    """Return the pairs of a table; heights and sigmas may be empty, all lengths are metres.

    FileError names the line; a name that is there twice is refused.
    """
    lines = fixed_table(content, HEADER, MOST_BYTES, "a fit has some thousands of lines at most", SIGMAS)
    if len(lines) > MOST_PAIRS:
        raise FileError(f"The file has {len(lines)} lines; {MOST_PAIRS} pairs are read at most.")
    pairs = [_pair(line) for line in lines]
    seen: dict[str, int] = {}
    for pair, line in zip(pairs, lines, strict=True):
        if pair.name in seen:
            raise FileError(f"Line {line.number}: {pair.name} is there already, in line {seen[pair.name]}.")
        seen[pair.name] = line.number
    return pairs


def _pair(line: FixedLine) -> Pair:
    name, use = line.cells["name"], line.cells["use"].lower()
    if not name or len(name) > LONGEST_NAME:
        raise FileError(f"Line {line.number}: a name has 1 to {LONGEST_NAME} characters.")
    if use not in USES:
        raise FileError(f"Line {line.number}: use is '{use[:20]}', and it must be one of {', '.join(USES)}.")
    local_e, local_n, gnss_e, gnss_n = (line.metres(column) for column in PLACES)
    local_h, gnss_h = (line.metres_or_none(column) for column in HEIGHTS)
    sigma_h, sigma_v = (line.metres_or_none(column) for column in SIGMAS)
    return Pair(
        name=name,
        local_e_m=local_e,
        local_n_m=local_n,
        local_h_m=local_h,
        gnss_e_m=gnss_e,
        gnss_n_m=gnss_n,
        gnss_h_m=gnss_h,
        use=use,
        sigma_h_m=sigma_h,
        sigma_v_m=sigma_v,
    )
