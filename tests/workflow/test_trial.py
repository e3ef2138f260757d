"""Files and texts for native code: headers first, then a trial in a process of its own."""

import contextlib
import io
import random
import signal
import subprocess

import numpy as np
import pytest
import tifffile

from openstake.core.errors import FileError, FrameError
from openstake.wire.gridfiles import grid_by_header, read_geoid_grid
from openstake.workflow.context import Context
from openstake.workflow.job.geoids import add_geoid
from openstake.workflow.trial import prove_grid, prove_system


def geotiff(**wrong):
    """A small grid of 4 x 5 values of 30 m over Ireland as GeoTIFF, with tags as wished."""
    tags = {"scale": (0.5, 0.5, 0.0), "tie": (0.0, 0.0, 0.0, -8.0, 54.0, 0.0), "rows": 4, "columns": 5} | wrong
    values = np.full((tags["rows"], tags["columns"]), 30.0, dtype=np.float32)
    out = io.BytesIO()
    extra = [
        (33550, "d", 3, tags["scale"], False),
        (33922, "d", 6, tags["tie"], False),
        (34735, "H", 16, (1, 1, 0, 3, 1024, 0, 1, 2, 1025, 0, 1, 2, 2048, 0, 1, 4326), False),
    ]
    tifffile.imwrite(out, values, extratags=extra)
    return out.getvalue()


def test_a_whole_geotiff_is_read_and_gives_its_values(tmp_path):
    file = tmp_path / "grid.tif"
    file.write_bytes(geotiff())
    grid = read_geoid_grid(file)
    assert float(grid.undulation_m(53.2, -7.1)) == pytest.approx(30.0, abs=1e-6)
    prove_grid(file)


@pytest.mark.parametrize(
    "wrong",
    [
        {"scale": (0.0, 0.5, 0.0)},  # 2026-11-27: a step of zero ended in SIGFPE inside PROJ, and the running base with it
        {"scale": (0.5, 0.0, 0.0)},
        {"scale": (float("nan"), 0.5, 0.0)},
        {"scale": (-0.5, 0.5, 0.0)},
        {"scale": (1e300, 0.5, 0.0)},
        {"tie": (0.0, 0.0, 0.0, float("inf"), 54.0, 0.0)},
        {"tie": (0.0, 0.0, 0.0, -8.0, 1e9, 0.0)},
        {"rows": 1},
    ],
)
def test_a_header_that_cannot_be_is_refused_before_proj_opens_the_file(tmp_path, wrong):
    file = tmp_path / "grid.tif"
    file.write_bytes(geotiff(**wrong))
    with pytest.raises(FileError, match="make no sense"):
        prove_grid(file)


@pytest.mark.slow
def test_a_tiff_with_anything_wrong_is_a_sentence_or_a_grid(tmp_path):
    """Bytes of a good grid changed at random, headers mostly: what our own reading lets through is tried beside the program."""
    dice, good, file = random.Random(27), geotiff(), tmp_path / "grid.tif"
    through = 0
    for _ in range(400):
        data = bytearray(good)
        for _ in range(dice.randint(1, 4)):
            data[dice.randrange(min(len(data), 400))] = dice.choice((0, 1, 127, 255, dice.randrange(256)))
        file.write_bytes(data[: dice.choice((len(data), len(data), dice.randrange(len(data))))])
        try:
            grid_by_header(file)
        except FileError:
            continue
        through += 1
        if through <= 6:
            with contextlib.suppress(FileError):
                prove_grid(file)
    assert through > 5


def test_a_trial_that_is_killed_is_a_sentence_and_no_part_stays(tmp_path, monkeypatch):
    """The child ends by a signal, as PROJ did: the program goes on and nothing is left of the file."""
    killed = subprocess.CompletedProcess([], -signal.SIGFPE, b"", b"")
    monkeypatch.setattr("openstake.workflow.trial.subprocess.run", lambda *_, **__: killed)
    context = Context(database=None, hub=None, data_dir=tmp_path, practice=None)
    with pytest.raises(FileError, match="crashes on this file"):
        add_geoid(context, "grid", io.BytesIO(geotiff()))
    assert list((tmp_path / "geoid").iterdir()) == []
    monkeypatch.setattr(
        "openstake.workflow.trial.subprocess.run", lambda *_, **__: (_ for _ in ()).throw(subprocess.TimeoutExpired("x", 1))
    )
    with pytest.raises(FileError, match="crashes"):
        prove_grid_of(tmp_path)


def prove_grid_of(folder):
    file = folder / "grid.tif"
    file.write_bytes(geotiff())
    prove_grid(file)


@pytest.mark.parametrize(
    "text",
    [
        "+proj=tmerc +lat_0=53 +lon_0=-8 +k=1 +x_0=0 +y_0=0 +ellps=GRS80 +units=m +type=crs",
        'PROJCRS["x",BASEGEOGCRS["WGS 84",DATUM["World Geodetic System 1984",ELLIPSOID["WGS 84",6378137,298.257223563]]],'
        'CONVERSION["c",METHOD["Transverse Mercator"],PARAMETER["Latitude of natural origin",53],PARAMETER["Longitude of natural origin",-8],'
        'PARAMETER["Scale factor at natural origin",1],PARAMETER["False easting",0],PARAMETER["False northing",0]],CS[Cartesian,2],'
        'AXIS["east",east],AXIS["north",north],LENGTHUNIT["metre",1]]',
    ],
)
def test_a_text_of_a_system_is_tried_and_taken(text):
    prove_system(text)


@pytest.mark.parametrize(
    "text",
    [
        "+proj=tmerc +ellps=GRS80 +a=0 +type=crs",
        "+proj=pipeline",
        "+proj=tmerc +lat_0=1e400 +type=crs",
        "+proj=utm +zone=0 +type=crs",
        'PROJCS["\\"]',
        "+proj=lcc +lat_1=90 +lat_2=-90 +type=crs",
    ],
)
def test_an_odd_text_of_a_system_is_a_sentence(text):
    with pytest.raises(FrameError):
        prove_system(text)
