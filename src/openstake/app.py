"""The composition root: the only file that sees every layer."""

from __future__ import annotations

import logging
import os
import signal
from collections.abc import Callable
from dataclasses import dataclass
from logging.handlers import RotatingFileHandler
from pathlib import Path

from flask import Flask
from sqlalchemy import select

from openstake.api.server import create_app
from openstake.core.errors import OpenStakeError
from openstake.live.clock import HOST_CLOCK
from openstake.live.hub import Hub
from openstake.live.network import HOST, Outside
from openstake.live.transport import listening_socket
from openstake.store.book import bases_from_elsewhere
from openstake.store.database import Database
from openstake.store.lock import FolderLock
from openstake.store.models import Job
from openstake.store.private import door_token, this_user_only
from openstake.store.records.bases import open_occupation
from openstake.webserver import Lan, LanRequest, WebServer, lan_sockets
from openstake.wire.gridfiles import look_for_grids_in
from openstake.workflow.access import Door
from openstake.workflow.backups import make as make_backup
from openstake.workflow.base.standin import configure_standin
from openstake.workflow.context import Context
from openstake.workflow.job.datum_grids import FOLDER
from openstake.workflow.job.geoids import ensure_training_grid
from openstake.workflow.listening import resume
from openstake.workflow.practice.demo import load_demo
from openstake.workflow.practice.field import Practice

_LOOKS_EVERY_S = 0.1
_CERTIFICATE_EVERY_S = 20.0
_LOG = logging.getLogger("openstake")
WEB_DIR = Path(__file__).parent / "web_dist"


@dataclass
class Program:
    """A running program: its web application and how to stop it."""

    app: Flask
    context: Context
    lock: FolderLock

    def close(self) -> None:
        """End streams, sessions and stand-ins; what was received is written first."""
        context = self.context
        context.hub.stop()
        context.works.close()
        practice = context.practice
        ending = context.clock.thread(practice.close, "ending") if practice is not None else None
        if ending is not None:
            ending.start()
        context.running.close()
        if ending is not None:
            ending.join(1.5)
        context.database.close()
        self.lock.release()


def build(data_dir: Path, practice: bool, demo: bool, web_dir: Path | None = WEB_DIR, outside: Outside = HOST) -> Program:
    """Open a data folder and put the program together; sessions that were running go on.

    `outside` is the time that it runs in, and the network: the host's, or a faster or a virtual one to practise and to test.
    """
    lock = FolderLock(data_dir)
    try:
        database = Database.in_folder(data_dir)
        context = Context(
            database=database, hub=Hub(), data_dir=data_dir, practice=Practice(data_dir, outside) if practice else None, outside=outside
        )
        look_for_grids_in(data_dir / FOLDER)
        ensure_training_grid(context)
        if demo:
            load_demo(context)
        restore_practice(context)
        resume(context)
        return Program(create_app(context, web_dir), context, lock)
    except BaseException:
        lock.release()
        raise


def restore_practice(context: Context) -> None:
    """Let the stand-in base broadcast again where its occupation was running."""
    with context.database.read() as session:
        jobs = session.scalars(select(Job.id).where(Job.practice)).all()
        theirs, bases = bases_from_elsewhere(session), {job_id: open_occupation(session, job_id) for job_id in jobs}
        running = [job_id for job_id, base in bases.items() if base is not None and base.id not in theirs]
    for job_id in running:
        configure_standin(context, job_id)


def log_to(folder: Path) -> None:
    """Keep what goes wrong in a file of the data folder: what a page shows as a number stands there."""
    folder.mkdir(parents=True, exist_ok=True)
    kept = RotatingFileHandler(folder / "program.log", maxBytes=1 << 20, backupCount=3, encoding="utf-8", errors="replace")
    kept.setFormatter(logging.Formatter("%(asctime)s %(name)s %(levelname)s %(message)s"))
    logger = logging.getLogger("openstake")
    logger.addHandler(kept)
    logger.propagate = False


def serve(
    data_dir: Path,
    port: int,
    practice: bool,
    demo: bool,
    outside: Outside,
    on_ready: Callable[[int, Door | None, str], None],
    open_door: bool,
    lan: LanRequest | None = None,
    first_passphrase: Callable[[], str | None] = lambda: None,
) -> None:
    """Run until SIGTERM or Ctrl-C; on the network too where that is asked for, with a passphrase asked for at the first start.

    On this machine it answers this user alone, by what stands in the folder's `door-token`; with `open_door`, every user.
    """
    # Before anything is resumed or written: who finds a port taken has changed nothing.
    listener = listening_socket(port, HOST.network)
    on_the_network = [] if lan is None else lan_sockets(lan)
    this_user_only(data_dir)
    log_to(data_dir)
    program = build(data_dir, practice, demo, outside=outside)
    context = program.context
    token = context.access.door_token = None if open_door else door_token(data_dir)
    server = WebServer(program.app, listener)
    beyond = None
    try:
        if lan is not None:
            beyond = Lan(program.app, context.access, data_dir, lan, on_the_network)
            if context.access.kept.passphrase is None and (passphrase := first_passphrase()):
                context.access.set_passphrase(passphrase, "")
            beyond.begin(HOST_CLOCK.now())
    except BaseException:
        program.close()
        raise
    # A plain list: a handler that runs in the middle of a wait must not want the wait's lock.
    asked: list[int] = []
    for number in (signal.SIGTERM, signal.SIGINT):
        signal.signal(number, lambda number, _: asked.append(number))
    server.begin("web server")
    on_ready(listener.getsockname()[1], context.access.door, token or "")
    make_backup(context)
    looked_s = HOST_CLOCK.monotonic()
    while not asked:
        HOST_CLOCK.sleep(_LOOKS_EVERY_S)
        if beyond is not None and HOST_CLOCK.monotonic() - looked_s > _CERTIFICATE_EVERY_S:
            looked_s = HOST_CLOCK.monotonic()
            _refresh(beyond, HOST_CLOCK.now())
    program.close()
    # Threads are joined for seconds where a browser keeps a stream open; all that matters is written.
    os._exit(0)


def _refresh(lan: Lan, now_s: float) -> None:
    try:
        lan.refresh(now_s)
    except (OpenStakeError, OSError) as error:  # the certificate that was shown before is shown on
        _LOG.warning("The certificate on the network could not be renewed: %s", error)
