"""A show taken between rigs of every shape, by rules (M4): what reaches the house, and whether what is lost is told.

``.venv/bin/python benchmarks/fold_down.py SHOW`` (a bundle or its folder) folds the show down to each shape, and from
there to each other one. For every pair: each source that reached the house still does, no guide is in it, and every
loss in mono that is told is that of the sound: each stem rendered through the sockets by itself, against the powers
that the list is worked out from.
"""

from __future__ import annotations

import argparse
from collections.abc import Sequence
from pathlib import Path

import numpy as np

from upbeat.audio.pcm import full_scale, open_prepared
from upbeat.errors import Refused
from upbeat.mix.gains import feed_blocks, kept_out_of_house, socket_rows
from upbeat.mix.routing import Column, Patch, Routing
from upbeat.outputs.fold_down import fold_down
from upbeat.outputs.lost import StemSides, lost
from upbeat.outputs.templates import PHONES, SHAPES, rig_sockets
from upbeat.show.bundle import open_bundle
from upbeat.show.document import Show
from upbeat.show.other_rig import powers_in, stem_sides_of
from upbeat.song.stems import GUIDES

SILENT = 1e-12


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("show")
    with open_bundle(parser.parse_args().show) as (show, folder):
        stems = stem_sides_of(show, powers_in(folder, show.sample_rate))
        sounds = read(show, folder, stems)
        rigs = folded(show.routing)
        known: dict[tuple[Patch, ...], list[float]] = {}

        def powers_of(routing: Routing) -> list[float]:
            """The sound of the house is the same wherever its wires are: each way is summed once."""
            house = {f.id for f in routing.feeds if f.kind == "house"}
            wires = tuple(p for p in routing.patches if p.feed in house)
            if wires not in known:
                known[wires] = powers(routing, stems, sounds)
            return known[wires]

        heard = {name: powers_of(routing) for name, routing in rigs.items()}
        pairs = worst = kept = 0
        for a, before in rigs.items():
            for b, target in rigs.items():
                after = fold_down(before, target.sockets)
                pairs += 1
                now = powers_of(after)
                assert all(n > SILENT for n, was in zip(now, heard[a], strict=True) if was > SILENT), (a, b)
                assert not guides_in_house(after), (a, b)
                worst = max(worst, differs(before, after, stems, heard[a], now))
                kept += len(lost(before, after, stems, {}))
    print(f"{len(stems)} stems, {len(rigs)} rigs, {pairs} pairs: no source lost from the house, no guide in it;")
    print(f"{kept} losses told, those in mono within {worst:.4f} dB of the sound")


def folded(routing: Routing) -> dict[str, Routing]:
    """The show on each shape of rig that there is."""
    found = {}
    for count in SHAPES:
        for phones in PHONES:
            try:
                found[f"{count} {phones}"] = fold_down(routing, rig_sockets(count, phones))
            except Refused:
                continue  # no box has that shape
    return found


def read(show: Show, folder: Path, stems: Sequence[StemSides]) -> list[np.ndarray]:
    """The sound of each stem, float64 (channels, frames)."""
    files = {s.id: s for song in show.songs.values() for s in song.stems}
    found = []
    for stem in stems:
        pcm = open_prepared(folder / files[stem.id].file, show.sample_rate)
        sound = np.asarray(pcm, dtype=np.float64).T * full_scale(pcm)
        if files[stem.id].flip_side and len(sound) == 2:
            sound[1] *= -1
        found.append(sound)
    return found


def powers(routing: Routing, stems: Sequence[StemSides], sounds: Sequence[np.ndarray]) -> list[float]:
    """The power of each stem on the sockets of the house, a feed on two of them as their mean, summed sample by sample."""
    house = {f.id for f in routing.feeds if f.kind == "house"}
    feeds = [
        next((p.feed for p in routing.patches if p.socket == s.number and p.feed in house), None)
        for s in routing.sockets
    ]
    spread = {f: len({p.socket for p in routing.patches if p.feed == f}) for f in feeds if f}
    found = []
    for stem, sound in zip(stems, sounds, strict=True):
        barred = frozenset({stem.columns[0].source}) if stem.barred else frozenset[str]()
        heard = feed_blocks(routing, stem.columns, [1.0] * len(stem.columns), barred=barred).heard
        rows = socket_rows(routing, heard, kept_out_of_house(stem.columns, barred))
        own = {i for i, feed in enumerate(feeds) if feed and rows[i].any()}
        found.append(sum(float(np.mean(np.square(rows[i] @ sound))) / spread[str(feeds[i])] for i in own))
    return found


def guides_in_house(routing: Routing) -> bool:
    columns = [Column(source=g) for g in GUIDES]
    rows = socket_rows(routing, feed_blocks(routing, columns, [1.0, 1.0]).heard, kept_out_of_house(columns))
    house = {f.id for f in routing.feeds if f.kind == "house"}
    own = [
        i
        for i, s in enumerate(routing.sockets)
        if any(p.socket == s.number and p.feed in house for p in routing.patches)
    ]
    return bool(rows[own].any())


def differs(
    before: Routing, after: Routing, stems: Sequence[StemSides], was: Sequence[float], now: Sequence[float]
) -> float:
    """How far the losses in mono that are told are from those of the sound, in dB, at the most."""
    told = {one.what: one.db or 0.0 for one in lost(before, after, stems, {}) if one.code == "mono-loss"}
    real = {s.id: 10 * np.log10(a / b) for s, a, b in zip(stems, was, now, strict=True) if a > SILENT and b > SILENT}
    return max((abs(told.get(i, 0.0) - db) for i, db in real.items() if db > 0.06 or i in told), default=0.0)


if __name__ == "__main__":
    main()
