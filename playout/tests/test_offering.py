"""Rule S2: what was offered last of every frame is what comes there, whoever leads, however far each renderer has come."""

import json
import random
from collections import defaultdict
from types import SimpleNamespace

import pytest
from material import RATE, ramp_stem, show, song, write_wav
from test_catching_up import AHEAD, begun

from playout import order, shared
from playout.ahead import Ahead
from playout.due import decoded, due_of
from playout.offering import AHEAD_S, Offering
from playout.shared import BLOCK

LEAD_MS = 500
PRESSES = [
    {"press": "stop"},
    {"press": "resume"},
    {"press": "go_to", "args": {"step": 6, "when": "next_bar"}},
    {"press": "go_to", "args": {"step": 2, "when": "at_once"}},
]


@pytest.fixture
def load(tmp_path):
    """A note on each beat, for a device that gets it early."""
    write_wav(tmp_path / "ramp.wav", ramp_stem(60 * RATE))
    stems = [{"id": "r", "name": "Ramp", "file": "ramp.wav", "group": "rhythm", "pan": -1}]
    sections = [{"id": f"s{i}", "name": f"Part {i}", "bars": 2} for i in range(12)]
    desk = {"id": "desk", "name": "Desk", "kind": "midi", "port": "Rig", "channel": 1, "lead_ms": LEAD_MS}
    messages = [
        {
            "id": f"{bar}-{beat}",
            "device": "desk",
            "at": {"place": "bar", "bar": bar, "beat": beat},
            "send": {"kind": "note", "note": 4 * bar + beat, "beats": 3},
        }
        for bar in range(1, 25)
        for beat in range(1, 5)
    ]
    document = show(song(stems=stems, sections=sections, messages=messages), devices=[desk])
    (tmp_path / "show.json").write_text(json.dumps(document))
    return order.LoadEntry(generation=1, folder=str(tmp_path), show="evening")


class Told:
    """What is to come of each frame by what was offered, as one that loses nothing has it."""

    def __init__(self):
        self.of = defaultdict(list)

    def take(self, raw):
        offer = decoded(raw)
        for frame in [f for f in self.of if offer.start <= f < offer.end]:
            del self.of[frame]
        for due in offer.due:
            self.of[due.frame].append(due.data)

    def within(self, start, end):
        return {f: sorted(data) for f, data in sorted(self.of.items()) if start <= f < end}


def follower(memory, loader, load):
    """The other renderer, which has read the same log from the beginning."""
    ahead = Ahead(memory, 1, AHEAD, loader)
    ahead.start_reading()
    ahead.loads[1], ahead.loaded[1] = load, loader.load(load)
    ahead.stand_at(0, None, 0)
    ahead.read()
    return ahead


def coming(ahead, start, end):
    found = defaultdict(list)
    for p in ahead.spans:
        if p.session is not None and p.span is not None:
            for due in due_of(p.span.events, p.session.origin, start, end):
                found[due.frame].append(due.data)
    return {f: sorted(data) for f, data in sorted(found.items())}


@pytest.mark.parametrize("seed", range(12))
def test_what_was_offered_last_is_what_comes_whoever_leads(memory, loader, load, seed):
    chance = random.Random(seed)
    told = Told()
    both = [SimpleNamespace(ahead=a) for a in (begun(memory, loader, load, frame=0), follower(memory, loader, load))]
    for one in both:
        one.offering = Offering(one.ahead, told.take)
    leader, compared = 0, 0
    for _ in range(400):
        if chance.random() < 0.1:
            press = chance.choice(PRESSES)
            free = (memory.number(shared.WRITTEN) + shared.SAFE_BLOCKS) * BLOCK
            memory.append(free, 0, order.encoded(order.PressEntry(**press)))
        if chance.random() < 0.3:
            leader = 1 - leader
        heard = memory.number(shared.WRITTEN) * BLOCK
        for index, one in enumerate(both):
            if chance.random() < 0.7:
                one.ahead.read()
            for _ in range(chance.randrange(4)):
                one.ahead.render()
            one.offering.step(index == leader, heard)
        leads = both[leader].ahead
        end = min(leads.head, heard + round((AHEAD_S + LEAD_MS / 1000) * RATE))
        comes = coming(leads, heard, end)
        assert told.within(heard, end) == comes
        compared += len(comes)
        ready = min(one.ahead.head for one in both) // BLOCK
        memory.head[shared.WRITTEN] = max(
            memory.number(shared.WRITTEN), min(ready, heard // BLOCK + chance.randrange(40))
        )
    assert compared > 30


def test_what_nobody_offered_while_nobody_led_is_offered_by_the_one_that_takes_the_lead(memory, loader, load):
    told = Told()
    first, other = begun(memory, loader, load, frame=0), follower(memory, loader, load)
    leads, takes_over = Offering(first, told.take), Offering(other, told.take)
    dies, back = 3 * RATE, 7 * RATE  # later than all that the first has offered
    for heard in range(0, back, RATE // 10):
        memory.head[shared.WRITTEN] = heard // BLOCK
        for ahead in (first, other):
            while ahead.render():
                pass
        if heard < dies:
            leads.step(True, heard)
        takes_over.step(False, heard)
    takes_over.step(True, back)
    comes = coming(other, dies, back)
    assert len(comes) > 6
    assert told.within(dies, back) == comes
