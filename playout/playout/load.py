"""How busy the machine is, and how near that comes to being heard."""

from __future__ import annotations

import contextlib
import json
import time
from pathlib import Path
from typing import Literal, TypedDict

import msgspec
import psutil

from playout import shared
from playout.shared import BLOCK, RENDERERS, Shared

EVERY_S = 2.0
FAMILY_EVERY_S = 10.0  # whole families of processes are looked for less often: it costs some milliseconds
WINDOW_S = 60
_MB = 1 << 20

Word = Literal["calm", "busy", "strained"]


class Part(TypedDict):
    """A process of ours with its children. ``processor``: share of one core."""

    name: str
    processor: float
    memory_mb: float


class Load(TypedDict):
    """``processor``: share of all cores; ``temperature``: of the hottest part, in degrees Celsius, where known.

    Over the last minute: ``least_ms`` of sound that was in hand, of ``ahead_ms``; ``latest_ms`` by which the
    feeder was woken late, of ``buffer_ms`` that the device waits. ``hurried``: our parts run before other
    programs. ``gone``: parts that have ended, and are being started again. ``word``: one word for all of it, for the ``reasons`` named.
    """

    word: Word
    reasons: list[str]
    processor: float
    memory: float
    memory_free_mb: int
    disk: float
    disk_free_mb: int
    temperature: float | None
    parts: list[Part]
    least_ms: int | None
    ahead_ms: int
    latest_ms: float | None
    buffer_ms: float
    hurried: bool
    gone: list[str]


# For each reason (least values of "busy" and "strained"), as what is used of what there is.
LIMITS = {
    "processor": (0.85, 2.0),  # a full processor alone is not heard
    "memory": (0.85, 0.95),
    "disk": (0.95, 0.99),
    "temperature": (0.85, 0.95),  # of 100 degrees
    "ring": (0.5, 0.8),
    "waking": (0.5, 1.0),
}
LEAST_DISK_MB = 200


def judged(load: Load) -> tuple[Word, list[str]]:
    """One word for a load, and what it is for, the worst first."""
    used = {
        "processor": load["processor"],
        "memory": load["memory"],
        "disk": 1.0 if load["disk_free_mb"] < LEAST_DISK_MB else load["disk"],
        "temperature": (load["temperature"] or 0.0) / 100,
        "ring": 0.0 if load["least_ms"] is None else 1 - load["least_ms"] / load["ahead_ms"],
        "waking": 0.0 if load["latest_ms"] is None else load["latest_ms"] / load["buffer_ms"],
    }
    strained = [name for name, (_, most) in LIMITS.items() if used[name] >= most]
    busy = [name for name, (much, most) in LIMITS.items() if much <= used[name] < most]
    return ("strained" if strained else "busy" if busy else "calm"), strained + busy


class Watch:
    """Looks at the machine now and then. ``parts``: a JSON file with names and process ids of what runs beside us."""

    def __init__(self, memory: Shared, folder: Path, ahead_ms: int, parts: Path | None):
        self._memory, self._folder, self._ahead_ms, self._parts = memory, folder, ahead_ms, parts
        self._next = self._next_families = 0.0
        self._gone: list[str] = []
        self._families: dict[str, list[psutil.Process]] = {}
        self._known: dict[str, int] = {}
        self._spent: dict[psutil.Process, float] = {}
        self._looked = time.monotonic()

    def look(self) -> None:
        """Write down the load where it is due."""
        now = time.monotonic()
        gone = sorted(name for name, pid in self._beside().items() if not _lives(pid))
        if now < self._next and gone == self._gone:
            return
        self._gone = gone
        self._next = now + EVERY_S
        pids = self._pids()
        if now >= self._next_families or pids != self._known:
            self._next_families, self._known = now + FAMILY_EVERY_S, pids
            self._families = {name: _family(pid) for name, pid in pids.items()}
        load = self._load(now)
        load["word"], load["reasons"] = judged(load)
        self._memory.set_text(shared.LOAD_TEXT, msgspec.json.encode(load))

    def _pids(self) -> dict[str, int]:
        memory = self._memory
        pids = {"feeder": memory.number(shared.FEEDER_PID)}
        pids |= {f"renderer-{r + 1}": memory.own(r, shared.PID) for r in range(RENDERERS)}
        return pids | self._beside()

    def _beside(self) -> dict[str, int]:
        """The parts that are not the engine's own."""
        if self._parts is None:
            return {}
        try:
            beside = json.loads(self._parts.read_text())
        except (OSError, ValueError):
            return {}
        return {n: p for n, p in beside.items() if isinstance(p, int) and n != "engine"}

    def _load(self, now: float) -> Load:
        memory, rate = self._memory, self._memory.sample_rate
        space, disk = psutil.virtual_memory(), psutil.disk_usage(str(self._folder))
        seen = memory.seen(int(now) - WINDOW_S + 1)
        device = msgspec.json.decode(memory.text(shared.DEVICE_TEXT) or b"{}")
        return Load(
            word="calm",
            reasons=[],
            processor=round(psutil.cpu_percent() / 100, 3),
            memory=round(space.percent / 100, 3),
            memory_free_mb=space.available // _MB,
            disk=round(disk.percent / 100, 3),
            disk_free_mb=disk.free // _MB,
            temperature=_temperature(),
            parts=self._shares(now),
            least_ms=None if seen is None else max(0, min(self._ahead_ms, round(1000 * seen[0] / rate))),
            ahead_ms=self._ahead_ms,
            latest_ms=None if seen is None else round(seen[1] / 1e6, 1),
            buffer_ms=round(1000 * BLOCK * device.get("choice", {}).get("buffer", 4) / rate, 1),
            hurried=bool(memory.number(shared.HURRIED)),
            gone=self._gone,
        )

    def _shares(self, now: float) -> list[Part]:
        lasted, self._looked = max(0.1, now - self._looked), now
        spent_before, self._spent = self._spent, {}
        return [self._share(name, family, lasted, spent_before) for name, family in self._families.items()]

    def _share(
        self, name: str, family: list[psutil.Process], lasted: float, before: dict[psutil.Process, float]
    ) -> Part:
        seconds, resident = 0.0, 0
        for process in family:
            with contextlib.suppress(psutil.Error):
                times = process.cpu_times()
                spent = self._spent[process] = times.user + times.system
                seconds += spent - before.get(process, spent)
                resident += process.memory_info().rss
        return Part(name=name, processor=round(seconds / lasted, 4), memory_mb=round(resident / _MB, 1))


def _lives(pid: int) -> bool:
    try:
        return ") Z " not in Path(f"/proc/{pid}/stat").read_text()
    except OSError:
        return False


def _family(pid: int) -> list[psutil.Process]:
    try:
        process = psutil.Process(pid)
        return [process, *process.children(recursive=True)]
    except (psutil.Error, ValueError):
        return []


def _temperature() -> float | None:
    """Of the hottest part that the machine tells of."""
    found = [s.current for sensors in psutil.sensors_temperatures().values() for s in sensors if s.current]
    return max(found, default=None)
