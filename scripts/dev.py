"""`make dev`: the demo on http://127.0.0.1:8421, its server started again when Python changes, its pages by Vite with hot reload.

The data folder is data-dev; stop it with Ctrl-C.
"""

import signal
import subprocess
import sys
import time
from pathlib import Path

ROOT = Path(__file__).parent.parent
SOURCES = ROOT / "src/openstake"
PORT = 8420  # of the server; the proxy of vite.config.ts leads there
LOOK_EVERY_S = 0.5


def newest_s() -> float:
    """Return when a Python file was changed last."""
    return max(path.stat().st_mtime for path in SOURCES.rglob("*.py"))


def server() -> subprocess.Popen[bytes]:
    command = [sys.executable, "-m", "openstake", "demo", "--port", str(PORT), "--data", str(ROOT / "data-dev")]
    return subprocess.Popen(command)


def stop(process: subprocess.Popen[bytes]) -> None:
    process.send_signal(signal.SIGTERM)
    process.wait(10)


def main() -> None:
    pages = subprocess.Popen(["npm", "run", "--silent", "dev"], cwd=ROOT / "web")
    running, seen_s = server(), newest_s()
    try:
        while True:
            time.sleep(LOOK_EVERY_S)
            if newest_s() != seen_s:
                seen_s = newest_s()
                stop(running)
                running = server()
    except KeyboardInterrupt:
        pass
    finally:
        stop(running)
        pages.terminate()


if __name__ == "__main__":
    main()
