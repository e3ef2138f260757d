"""`openstake` as a process of its own: `Popen` and `run` as subprocess has them, forked from a server that has imported it."""

import atexit
import functools
import json
import os
import signal
import socket
import subprocess
import sys
import tempfile
import time
from pathlib import Path

PIPE, DEVNULL, STDOUT = subprocess.PIPE, subprocess.DEVNULL, subprocess.STDOUT


@functools.cache
def _server():
    """Return the path of the server's socket; the server is one for a worker, and ends with it."""
    folder = tempfile.TemporaryDirectory(prefix="openstake-fork-")
    path = Path(folder.name) / "socket"
    server = subprocess.Popen([sys.executable, "-m", "tests.forkserver", str(path)], stdin=PIPE)

    def end():
        server.stdin.close()
        server.wait(10)
        folder.cleanup()

    atexit.register(end)
    while not path.exists():
        assert server.poll() is None, "the server that forks has ended"
        time.sleep(0.02)
    return str(path)


class Popen:
    """A running `openstake`, as subprocess.Popen has it."""

    def __init__(self, arguments, stdin=None, stdout=None, stderr=None, text=True, env=None, cwd=None, start_new_session=False):
        self._text, self.args, self.returncode = text, [str(item) for item in arguments], None
        ours, theirs, close = {}, [], []
        for name, wish, own in (("stdin", stdin, 0), ("stdout", stdout, 1), ("stderr", stderr, 2)):
            if wish is PIPE:
                read, write = os.pipe()
                here, there = (write, read) if name == "stdin" else (read, write)
                mode = ("w" if name == "stdin" else "r") + ("" if text else "b")
                ours[name] = os.fdopen(here, mode)
                close.append(there)
            elif wish is DEVNULL:
                there = os.open(os.devnull, os.O_RDWR)
                close.append(there)
            elif wish is STDOUT:
                there = theirs[1]
            else:
                there = own if wish is None else wish if isinstance(wish, int) else wish.fileno()
            theirs.append(there)
        self.stdin, self.stdout, self.stderr = (ours.get(name) for name in ("stdin", "stdout", "stderr"))
        asked = {
            "arguments": self.args,
            "environment": dict(os.environ if env is None else env),
            "folder": str(cwd or Path.cwd()),
            "own_session": start_new_session,
        }
        self._said = socket.socket(socket.AF_UNIX)
        self._said.connect(_server())
        socket.send_fds(self._said, [json.dumps(asked).encode()], theirs)
        for descriptor in close:
            os.close(descriptor)
        self._lines = self._said.makefile("r")
        self.pid = int(self._lines.readline())

    def poll(self):
        try:
            return self.wait(0)
        except subprocess.TimeoutExpired:
            return None

    def wait(self, timeout=None):
        if self.returncode is None:
            # Nothing of the next line has been read: the child's number came alone.
            self._said.settimeout(timeout if timeout is None or timeout > 0 else 0.001)
            try:
                line = self._lines.readline()
            except OSError:
                self._lines = self._said.makefile("r")
                raise subprocess.TimeoutExpired(self.args, timeout) from None
            self.returncode = int(line)
            self._said.close()
        return self.returncode

    def send_signal(self, number):
        if self.poll() is None:
            os.kill(self.pid, number)

    def terminate(self):
        self.send_signal(signal.SIGTERM)

    def kill(self):
        self.send_signal(signal.SIGKILL)

    def communicate(self, input=None, timeout=None):
        """Return what it wrote; input and output are short enough to be read one after the other."""
        if self.stdin is not None:
            if input is not None:
                self.stdin.write(input)
            self.stdin.close()
        read = [None if stream is None else stream.read() for stream in (self.stdout, self.stderr)]
        self.wait(timeout)
        return tuple(read)


def run(arguments, input=None, capture_output=False, timeout=60, check=False, **more):
    """Return a finished `openstake`, as subprocess.run does."""
    if capture_output:
        more |= {"stdout": PIPE, "stderr": PIPE}
    if input is not None:
        more["stdin"] = PIPE
    process = Popen(arguments, **more)
    out, problem = process.communicate(input, timeout)
    if check and process.returncode:
        raise subprocess.CalledProcessError(process.returncode, arguments, out, problem)
    return subprocess.CompletedProcess(arguments, process.returncode, out, problem)
