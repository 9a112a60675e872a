"""`tend --every`, `tend --watch`: rounds one after the other, each in a process of its own, so that
nothing grows; what begins them is time, a change of the content, or a signal."""

from __future__ import annotations

import json
import os
import signal
import socket
import subprocess
import sys
import time
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field
from pathlib import Path
from queue import Empty, Queue
from threading import Event, Thread
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from watchfiles import Change

    from jovial_atlas.cli.common import Work

#: Kinds of file system whose changes the system does not tell.
_FAR = ("nfs", "nfs4", "cifs", "smb3", "smbfs", "fuse.sshfs", "9p", "afs", "ceph", "glusterfs")
#: Content that never becomes quiet is read after so many times the quiet that is wanted.
_LONGEST = 30
#: Without --every, a round is run all the same after so long: what rests on time changes.
_AT_LEAST = 86_400.0


@dataclass(slots=True)
class _Signals:
    """What signals ask for: the end, and the site file read anew."""

    ends: Event = field(default_factory=Event)
    woken: Queue[str] = field(default_factory=Queue)
    child: subprocess.Popen[bytes] | None = None

    def listen(self) -> None:
        signal.signal(signal.SIGTERM, self._end)
        signal.signal(signal.SIGINT, self._end)
        if hasattr(signal, "SIGHUP"):
            signal.signal(signal.SIGHUP, lambda *_: self.woken.put("hup"))

    def _end(self, _number: int, _frame: object) -> None:
        self.ends.set()
        self.woken.put("end")
        if self.child is not None and self.child.poll() is None:
            self.child.send_signal(signal.SIGTERM)


def tend_on(work: Work, asked: Mapping[str, Any]) -> int:
    """Rounds until a signal ends them. The exit code is that of the last round, 0 where it went
    well or was ended by the signal."""
    signals = _Signals()
    signals.listen()
    watching = _Watching(work, asked, signals.woken) if asked["watch"] else None
    every = asked["every"] or _AT_LEAST
    notify("READY=1")
    code = 0
    try:
        while not signals.ends.is_set():
            begun = time.monotonic()
            if watching:
                watching.begin()
            code = _one_round(work, asked, signals)
            if watching:
                watching.forget_own()
            said = "the last round went well" if code == 0 else "the last round needs a person"
            notify(f"STATUS=Tending; {said}.")
            _wait(signals, begun + every)
    finally:
        notify("STOPPING=1")
        if watching:
            watching.end()
    return 0 if signals.ends.is_set() and code in (0, -signal.SIGTERM) else max(code, 0)


def _wait(signals: _Signals, until: float) -> None:
    """Until a time, a change, or a signal."""
    while not signals.ends.is_set():
        left = until - time.monotonic()
        if left <= 0:
            return
        try:
            # In pieces: a machine that slept does not know how long.
            signals.woken.get(timeout=min(left, 30.0))
        except Empty:
            notify("WATCHDOG=1")
            continue
        while not signals.woken.empty():
            signals.woken.get_nowait()
        return


def _one_round(work: Work, asked: Mapping[str, Any], signals: _Signals) -> int:
    """A round in a process of its own. Gives its exit code."""
    out = work.output
    words = [sys.executable, "-m", "jovial_atlas", "--site", str(work.site_path().absolute())]
    words += ["--quiet"] if out.quiet else []
    words += ["--plain"] if out.plain else []
    words += ["tend", "round", "--timeout", str(asked["timeout"]), "--format", out.format]
    pipe = subprocess.PIPE if out.format == "json" else None
    signals.child = subprocess.Popen(words, stdout=pipe, start_new_session=True)  # noqa: S603
    said, _ = signals.child.communicate()
    code = signals.child.returncode
    signals.child = None
    if said:
        try:
            out.exact(json.dumps(json.loads(said), ensure_ascii=False) + "\n")
        except ValueError:
            out.exact(said.decode("utf-8", "replace"))
        sys.stdout.flush()
    return code


class _Watching:
    """Tells when content changes, on a thread of its own."""

    def __init__(self, work: Work, asked: Mapping[str, Any], woken: Queue[str]) -> None:
        self._work, self._asked, self._woken = work, asked, woken
        self._places: tuple[Path, ...] = ()
        self._own: frozenset[str] = frozenset()
        self._stop = Event()
        self._thread: Thread | None = None

    def begin(self) -> None:
        """Watch what the site file names now; what is watched already goes on."""
        places = tuple(dict.fromkeys(_places(self._work.site_path().absolute())))
        if places == self._places and self._thread and self._thread.is_alive():
            return
        self.end()
        self._places, self._stop = places, Event()
        self.forget_own()
        self._thread = Thread(target=self._watch, args=(places, self._stop), daemon=True)
        self._thread.start()

    def forget_own(self) -> None:
        """What rounds write themselves is no change."""
        self._own = frozenset(_own_files(self._work.site_path().absolute()))

    def end(self) -> None:
        """Watch no more."""
        self._stop.set()
        if self._thread:
            self._thread.join(timeout=5)

    def _watch(self, places: tuple[Path, ...], stop: Event) -> None:
        from watchfiles import watch

        settle = max(int(self._asked["settle"] * 1_000), 50)
        poll = self._asked["poll"] or any(is_far(place) for place in places)
        watched = [str(place) for place in places if place.exists()]
        changes = watch(
            *watched, stop_event=stop, step=settle, debounce=settle * _LONGEST,
            watch_filter=self._counts, force_polling=poll, poll_delay_ms=max(settle, 300),
            raise_interrupt=False, yield_on_timeout=False,
        )  # fmt: skip
        for _ in changes:
            self._woken.put("content")

    def _counts(self, _change: Change, path: str) -> bool:
        parts = Path(path).parts
        return path not in self._own and not any(
            one == ".jovial-atlas" or one == ".git" or one.startswith(".atlas-") for one in parts
        )


def _places(site_path: Path) -> Iterator[Path]:
    """What a site rests on: its file and the tables beside it, and the content. Of a site file that
    is wrong only itself."""
    from jovial_atlas.errors import AtlasError
    from jovial_atlas.rounds.deciding.history import tables_named
    from jovial_atlas.sitefile import read_site_file

    yield site_path
    try:
        site = read_site_file(site_path)
    except AtlasError:
        return
    yield from (site.folder / base for base in site.bases)
    for name in tables_named(site_path.read_bytes()).values():
        if (site.folder / name).exists():
            yield site.folder / name
    for source in site.model.source:
        path = getattr(source, "path", "")
        if path and "://" not in path:
            place = site.folder / path
            yield from [place] if place.exists() else site.folder.glob(path)


def _own_files(site_path: Path) -> Iterator[str]:
    from jovial_atlas.errors import AtlasError
    from jovial_atlas.files import FileSet
    from jovial_atlas.rounds.state.names import MANIFEST
    from jovial_atlas.sitefile import read_site_file

    try:
        site = read_site_file(site_path)
        for host in site.hosts:
            own = FileSet(host.output, host.state / MANIFEST)
            yield from (str(host.output / path) for path in own.known_paths())
    except AtlasError:
        return


def is_far(place: Path) -> bool:
    """Whether a folder lies on another machine, whose changes the system does not tell."""
    try:
        lines = Path("/proc/self/mounts").read_text("utf-8", "replace").splitlines()
    except OSError:
        return False
    mounts = [line.split()[1:3] for line in lines if len(line.split()) > 3]
    here = str(place.resolve())
    best = max(
        (one for one in mounts if here == one[0] or here.startswith(one[0].rstrip("/") + "/")),
        key=lambda one: len(one[0]), default=["", ""],
    )  # fmt: skip
    return best[1] in _FAR


def notify(said: str, send: Callable[[str, bytes], None] | None = None) -> None:
    """Tell the service manager how it stands (sd_notify(3)), where it asks for it."""
    address = os.environ.get("NOTIFY_SOCKET", "")
    if not address:
        return
    place = f"\0{address[1:]}" if address.startswith("@") else address
    try:
        (send or _to_socket)(place, said.encode())
    except OSError:
        return


def _to_socket(place: str, said: bytes) -> None:
    with socket.socket(socket.AF_UNIX, socket.SOCK_DGRAM) as one:
        one.connect(place)
        one.sendall(said)
