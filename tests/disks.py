"""A disk of its own for a test: it can be filled and made read-only, where file permissions stop no superuser."""

import subprocess
from contextlib import contextmanager

import pytest


@contextmanager
def small_disk(folder, size):
    """Mount a disk of a size (`6m`) on a folder; the test is skipped where nothing can be mounted."""
    folder.mkdir()
    mount = ["mount", "-t", "tmpfs", "-o", f"size={size}", "tmpfs", str(folder)]
    if subprocess.run(mount, capture_output=True, check=False).returncode:
        pytest.skip("no small disk can be mounted here")
    try:
        yield folder
    finally:
        subprocess.run(["umount", "-l", str(folder)], check=False)
