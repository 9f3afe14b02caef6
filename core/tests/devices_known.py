"""What devices are after what they were sent, for the tests."""

from upbeat.play.events import NoteOff, record


class Devices:
    """What devices are after what they were sent."""

    def __init__(self):
        self.held, self.notes, self.bank = {("keys", "controller", 1): 0}, set(), {}

    def take(self, event):
        if isinstance(event, NoteOff):
            assert (event.device, event.note) in self.notes
            self.notes.discard((event.device, event.note))
            return
        out = event.out
        data = record(event)["data"]
        if isinstance(data, dict):
            if out.holds:
                self.held[out.device, data["address"]] = data["args"]
            return
        at = 0
        while at < len(data):
            kind = data[at] & 0xF0
            if kind == 0xB0 and data[at + 1] in (0, 32):
                self.bank[data[at + 1]] = data[at + 2]
            elif kind == 0xB0:
                self.held[out.device, "controller", data[at + 1]] = data[at + 2]
            elif kind == 0xC0:
                bank = 128 * self.bank[0] + self.bank[32] if self.bank else None
                self.held[out.device, "program"] = (data[at + 1], bank)
            elif kind == 0x90:
                assert (out.device, data[at + 1]) not in self.notes
                self.notes.add((out.device, data[at + 1]))
                if out.holds:
                    self.held[out.device, "scene"] = data[at + 1]
            at += 2 if kind == 0xC0 else 3


def expected(plan, run, src, home):
    """What the devices hold at a place of a form that is played straight: every pass before it, and it until there."""
    entry = plan.entries[run.entry]
    devices = dict(home)
    if not entry.score:
        return devices

    def hold(outs):
        for out in outs:
            if out.holds:
                key = (out.device, *_what(out.send))
                devices[key] = _value(out.send, devices.get(key))

    hold(entry.score.start)
    for i in entry.playable:
        for n, one in enumerate(entry.score.passes[i], 1):
            here = (i, n) == (run.step, min(run.round, len(entry.score.passes[i])))
            hold(out for frame, out in zip(one.frames, one.sent, strict=True) if not here or frame < src)
            if here:
                return devices
    raise AssertionError("no such place")


def _what(send):
    name = type(send).__name__
    return {"Program": ("program",), "Note": ("scene",), "Osc": ("/at",)}.get(name) or ("controller", send.controller)


def _value(send, was):
    name = type(send).__name__
    return {"Program": lambda: _programmed(send, was), "Note": lambda: send.note, "Osc": lambda: list(send.args)}.get(
        name, lambda: send.value
    )()


def _programmed(send, was):
    """A program and its bank, which stays as it was where none is said."""
    return send.program - 1, was[1] if send.bank is None and was else send.bank


def as_known(value, wanted):
    """A program without its bank where nobody ever said one."""
    return (value[0], None) if isinstance(wanted, tuple) and wanted[1] is None and value else value
