"""A process that has imported the program and forks a child for each command: a start costs then what the program does.

`python -m tests.forkserver PATH` listens on a Unix socket.  A request is one JSON line with three file descriptors beside it;
the answers are the child's number at once, and its exit status when it has ended.
"""

import contextlib
import importlib
import json
import os
import select
import signal
import socket
import sys
import traceback


def serve(path):
    listener = socket.socket(socket.AF_UNIX)
    listener.bind(path)
    listener.listen(64)
    woken, wakes = os.pipe()
    os.set_blocking(wakes, False)
    signal.set_wakeup_fd(wakes)
    signal.signal(signal.SIGCHLD, lambda *_: None)
    children = {}
    while True:
        ready, _, _ = select.select([listener, woken, sys.stdin], [], [])
        if sys.stdin in ready:
            return  # whoever started it is gone
        if woken in ready:
            os.read(woken, 4096)
            reap(children)
        if listener in ready:
            client, _ = listener.accept()
            data, descriptors, _, _ = socket.recv_fds(client, 1 << 20, 3)
            number = os.fork()
            if not number:
                for mine in (listener, client, *children.values()):
                    mine.close()
                signal.set_wakeup_fd(-1)
                os.close(woken)
                os.close(wakes)
                become(json.loads(data), descriptors)
            for descriptor in descriptors:
                os.close(descriptor)
            children[number] = client
            client.sendall(f"{number}\n".encode())


def reap(children):
    with contextlib.suppress(ChildProcessError):
        while True:
            number, status = os.waitpid(-1, os.WNOHANG)
            if not number:
                return
            client = children.pop(number)
            with contextlib.suppress(OSError):
                client.sendall(f"{os.waitstatus_to_exitcode(status)}\n".encode())
            client.close()


def become(asked, descriptors):
    """Be the program: its input and output, its surroundings, its arguments; never returns."""
    signal.signal(signal.SIGCHLD, signal.SIG_DFL)
    if asked["own_session"]:
        os.setsid()
    for place, descriptor in enumerate(descriptors):
        os.dup2(descriptor, place)
        os.close(descriptor)
    sys.stdin, sys.stdout, sys.stderr = open(0), open(1, "w"), open(2, "w")  # noqa: SIM115
    os.environ.clear()
    os.environ.update(asked["environment"])
    os.chdir(asked["folder"])
    code = 1
    try:
        importlib.import_module("openstake.cli").main(asked["arguments"], prog_name="openstake")
        code = 0
    except SystemExit as end:
        code = end.code if isinstance(end.code, int) else int(end.code is not None)
    except BaseException:
        traceback.print_exc()
    finally:
        with contextlib.suppress(OSError, ValueError):
            sys.stdout.flush()
            sys.stderr.flush()
        os._exit(code)


if __name__ == "__main__":
    for verb in importlib.import_module("openstake.cli").VERBS.values():
        importlib.import_module(f"openstake.cli.{verb}")
    for late in ("scipy.special", "scipy.linalg", "alembic.command", "pyproj.database", "openstake.store.certificates"):
        importlib.import_module(late)
    serve(sys.argv[1])
