"""What comes in at the ports becomes presses, and what the night is like becomes lights."""

from __future__ import annotations

import math
import time
from collections import deque
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import msgspec

from playout.ports.night import Night
from playout.ports.told import HandsNow, KeysNow, PortNow, Shown
from upbeat.controls.bindings import Act, Binding
from upbeat.controls.guards import Guards
from upbeat.controls.hands import Hands, read_hands
from upbeat.controls.lights import Light, changed, light_bytes, lights
from upbeat.controls.signals import PAGE_KEYS, Control, Reader, Signal
from upbeat.errors import Refused
from upbeat.limits import PRESSES_A_SECOND

AT_ONCE = 64  # messages of one port before another one's turn comes
WAITING = 2000  # messages of one port; older ones are left out
LEVEL_S = 0.025  # between two levels of one port
TRY_S = 3.0
IN_STEP_S = 1.0  # after a longer pause a page's clock says nothing: what it tells then has come now


@dataclass
class _Port:
    """What is known of a port that was heard. ``by``: who has it, where it is a page's."""

    reader: Reader
    by: str
    waiting: deque[tuple[bytes, float]] = field(default_factory=lambda: deque(maxlen=WAITING))
    pressed: deque[float] = field(default_factory=lambda: deque(maxlen=PRESSES_A_SECOND))
    heard: float = 0.0
    flood: float = -10.0
    lights: bool = False
    #: The newest level of each part that is still to be sent.
    levels: dict[str, Act] = field(default_factory=dict)
    leveled: float = 0.0
    #: Until when all that came to it is known here; what is still on its way may be that a switch is let go.
    until: float = math.inf

    def came_at(self, now: float, since_ms: float | None) -> float:
        """When something came to a page: ``since_ms`` after what it told last, however long it was on its way."""
        if since_ms is None:
            self.until = math.inf
            return now
        in_step = since_ms < 1000 * IN_STEP_S and self.until < now
        self.until = min(now, self.until + since_ms / 1000) if in_step else now
        return self.until

    def may_press(self, at: float) -> bool:
        """Whether one more press in this second is no flood; then it counts."""
        if len(self.pressed) == PRESSES_A_SECOND and at - self.pressed[0] < 1:
            return False
        self.pressed.append(at)
        return True


class Hub:
    """Ports, bindings and guards. ``folder``: where the hands of each band lie, as ``BAND.json``."""

    def __init__(self, night: Night, folder: Path):
        self._night, self._folder = night, folder
        self._ports: dict[str, _Port] = {}
        self._guards = Guards(known=self._known_ms)
        self._hands = Hands()
        self._read: tuple[str, int] = ("", 0)
        self._try: tuple[str, float] = ("", 0.0)
        self._lit: dict[str, dict[Control, Light]] = {}
        self.shown: list[Shown] = []

    # --- coming in ------------------------------------------------------------------

    def heard(
        self, port: str, data: bytes, at: float | None = None, by: str = "", since_ms: float | None = None
    ) -> None:
        """Bytes of a port; ``by``: who has it, where it is a page's."""
        known = self._ports.get(port)
        if known is None:
            known = self._ports[port] = _Port(Reader(port), by)
        known.by = by
        known.waiting.append((data, known.came_at(time.monotonic(), since_ms) if at is None else at))

    def quiet(self, port: str, since_ms: float) -> None:
        """A page tells that nothing has come to a port of its own since what it told before."""
        if port in self._ports:
            self._ports[port].came_at(time.monotonic(), since_ms)

    def read(self, ports: Iterable[str], until: float) -> None:
        """All that came to these ports until then has been told."""
        for name in ports:
            if name in self._ports:
                self._ports[name].until = until

    def _known_ms(self, port: str) -> float:
        """Until when all that came to a port has gone through the guards."""
        known = self._ports.get(port)
        if known is None:
            return math.inf
        return 1000 * min(known.until, known.waiting[0][1] if known.waiting else math.inf)

    def opened(self, port: str, by: str) -> None:
        """A page has opened a port that has lights: they are set anew."""
        known = self._ports.setdefault(port, _Port(Reader(port), by))
        known.by, known.lights = by, True
        self.dark(port)

    @property
    def outputs(self) -> set[str]:
        """The ports of pages that have lights."""
        return {name for name, port in self._ports.items() if port.lights}

    def key(
        self, port: str, key: str, down: bool, by: str = "", at: float | None = None, since_ms: float | None = None
    ) -> None:
        """A key went down, or up."""
        known = self._ports.setdefault(port, _Port(Reader(port), by))
        known.by = by
        signal = Signal(Control(port, "key", key=key), 127 if down else 0, down)
        self._signal(known, signal, known.came_at(time.monotonic(), since_ms) if at is None else at)

    def lost(self, port: str) -> None:
        """A port is gone."""
        self._guards.lost(port)
        self._night.hang_up(port)
        self._ports.pop(port, None)
        self._lit.pop(port, None)

    def turn(self) -> bool:
        """Work some of what was heard off, of every port in turn; gives whether there is more."""
        for known in self._ports.values():
            for _ in range(min(AT_ONCE, len(known.waiting))):
                data, at = known.waiting.popleft()
                for signal in known.reader.feed(data):
                    self._signal(known, signal, at)
        return any(p.waiting for p in self._ports.values())

    @property
    def waits(self) -> bool:
        """Whether something is held, or a level waits."""
        return bool(self._guards.waits) or any(p.levels for p in self._ports.values())

    def due(self) -> None:
        """Do what has been held for long enough; send levels that wait."""
        at = time.monotonic()
        if self._guards.waits:
            for act in self._guards.due(1000 * at, self._night.now):
                self._act(act, at)
        for name, port in self._ports.items():
            if port.levels and at - port.leveled >= LEVEL_S and port.may_press(at):
                port.leveled = at
                part = next(iter(port.levels))
                self._night.press(name, port.levels.pop(part), _by(name, port), at)

    # --- what it does ---------------------------------------------------------------

    def _signal(self, port: _Port, signal: Signal, at: float) -> None:
        port.heard = at
        binding = self._guards.binding_of(signal.control, self._night.now)
        acts = self._guards.hit(signal, 1000 * at, self._night.now)
        own = [a for a in acts if binding is not None and a.binding == binding.id]
        act = own[0] if own else None
        self.shown.append(
            Shown(
                control=signal.control,
                value=signal.value,
                down=signal.down,
                binding=binding.id if binding else None,
                press=act.press if act else None,
                args=act.args if act else {},
            )
        )
        for one in acts:
            self._act(one, at)

    def _act(self, act: Act, made: float) -> None:
        """Press, unless it is only tried, turns a page, or is one of a flood."""
        binding = self._binding(act.binding)
        port = self._ports.get(binding.control.port) if binding else None
        if not act.press or self.trying or port is None or binding is None:
            return
        name = binding.control.port
        if binding.sets_level:
            part = str(act.args["part"])
            before = port.levels.get(part)
            if before and "by" in act.args and "by" in before.args:
                act = msgspec.structs.replace(act, args={**act.args, "by": act.args["by"] + before.args["by"]})
            port.levels[part] = act
        elif port.may_press(made):
            self._night.press(name, act, _by(name, port), made)
        else:
            port.flood = made

    def _binding(self, binding: str) -> Binding | None:
        return next((b for b in self._hands.bindings if b.id == binding), None)

    # --- whose hands ----------------------------------------------------------------

    @property
    def band(self) -> str:
        """The band whose hands they are: the one that tries them, or whose show is loaded."""
        return self._try[0] if self.trying else self._night.band

    @property
    def trying(self) -> bool:
        """Whether hands are tried, and press nothing; never while a song plays."""
        return self._try[1] > time.monotonic() and not self._night.now.moving

    def try_out(self, band: str, on: bool) -> None:
        """A band tries its hands for three seconds more, or has done so."""
        if on or self._try[0] == band:
            self._try = (band, time.monotonic() + TRY_S if on else 0.0)

    def look(self) -> None:
        """Read the hands of the band anew where they have changed."""
        band = self.band
        path = self._folder / f"{band}.json"
        try:
            changed_at = path.stat().st_mtime_ns if band else 0
        except OSError:
            changed_at = 0
        if (band, changed_at) == self._read:
            return
        self._read = (band, changed_at)
        try:
            self._hands = read_hands(msgspec.json.decode(path.read_bytes())) if changed_at else Hands()
        except (OSError, msgspec.MsgspecError, Refused) as error:
            print(f"The hands of the band cannot be read, and do nothing: {error}.", flush=True)
            self._hands = Hands()
        self._guards.bind(self._hands.bindings)
        self._lit.clear()

    # --- lights ---------------------------------------------------------------------

    def lights(self, outputs: Iterable[str]) -> list[tuple[str, bytes]]:
        """The messages that bring the lights of these outputs up to date."""
        now = self._night.now
        wanted: dict[str, dict[Control, Light]] = {}
        for control, light in lights(self._guards.active(now), now).items():
            wanted.setdefault(control.port, {})[control] = light
        found = []
        for port in outputs:
            rule, after = self._hands.rule_of(port), wanted.get(port, {})
            for control, light in changed(self._lit.get(port, {}), after).items():
                found.append((port, light_bytes(control, light, rule)))
            self._lit[port] = after
        return found

    def dark(self, port: str) -> None:
        """A port is there again: its lights have to be set anew."""
        self._lit.pop(port, None)

    # --- telling --------------------------------------------------------------------

    def told(self, there: Mapping[str, dict[str, Any]]) -> HandsNow:
        """What pages show: the ports that are there (``there``: what each can do), or that bindings wait for."""
        bound = {b.control.port for b in self._hands.bindings}
        names = sorted({*there, *bound, *(n for n, p in self._ports.items() if p.by)})
        return HandsNow(
            ports=[self._port(name, there.get(name, {})) for name in names],
            pages=dict(self._guards.pages),
            trying=self.trying,
            band=self.band,
            read=self._read[1],
            keys=self._keys(there),
        )

    def _port(self, name: str, can: dict[str, Any]) -> PortNow:
        known, at = self._ports.get(name), time.monotonic()
        return PortNow(
            name=name,
            kind=can.get("kind", "page" if known and known.by else "gone"),
            into=can.get("into", False),
            out=can.get("out", False),
            heard_s=None if known is None or not known.heard else round(at - known.heard, 1),
            flood=known is not None and at - known.flood < 2,
        )

    def _keys(self, there: Mapping[str, dict[str, Any]]) -> KeysNow:
        """The keys that do something: pressed in a page, and on a keyboard that the machine reads itself."""
        bound = {(b.control.port, b.control.key) for b in self._hands.bindings if b.control.kind == "key"}
        read = {name for name, can in there.items() if can["kind"] == "keyboard"}
        return KeysNow(
            page=sorted(key for port, key in bound if port == PAGE_KEYS),
            machine=sorted({key for port, key in bound if port in read}),
        )


def _by(name: str, port: _Port) -> str:
    return f"{name} ({port.by})" if port.by else name
