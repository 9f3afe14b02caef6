"""A show made ready to play: files opened, words rendered, every frame worked out."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import cast

import numpy as np

from upbeat.audio.file_pcm import Pcm, SilentPcm
from upbeat.audio.pcm import full_scale, open_prepared
from upbeat.click.sounds import STICKS, click_voices
from upbeat.cues.place import WordLength, WordLengths
from upbeat.errors import Refused, refuse
from upbeat.limits import HAND_SOUND_S
from upbeat.messages.kinds import timecode_sockets
from upbeat.messages.score import named_out
from upbeat.messages.timecode import own_label
from upbeat.mix.driven import DrivenPcm
from upbeat.mix.edges import edged
from upbeat.mix.laid import laid
from upbeat.mix.render import Renderer
from upbeat.mix.routing import gain, routing_problems, timecode_problems
from upbeat.mix.stem_audio import EntryAudio, ShowAudio, StemAudio
from upbeat.outputs.line_sockets import line_sockets
from upbeat.play.compile import compile_entry, spoken_for
from upbeat.play.plan import DevicePlan, EntryPlan, HandSoundPlan, ShowPlan, TimecodePlan
from upbeat.show.document import Show
from upbeat.show.pads import between_songs, pad_of, tonic
from upbeat.song.hand_sounds import HandSound
from upbeat.song.song import Song
from upbeat.time.meter import counted

MOST_FORMS = 8  # of a song, besides the one it is played in


@dataclass(frozen=True)
class ReadyShow:
    """``show`` with everything that playing it needs."""

    show: Show
    plan: ShowPlan
    audio: ShowAudio

    def renderer(self) -> Renderer:
        """A new renderer at the start of its output."""
        return Renderer(self.plan, self.audio, self.show.routing, self.show.away)


def make_ready(
    show: Show,
    folder: Path,
    speak: bool = True,
    words_folder: Path | None = None,
    progress: Callable[[str], None] | None = None,
    open_stem: Callable[[Path, int], Pcm] = open_prepared,
    line_check: bool = False,
) -> ReadyShow:
    """Open a show whose files lie in ``folder``. Raises :class:`Refused`.

    The routing is checked here again, whatever was checked when it was patched (rule M3).
    ``speak``: render words that the document does not bring, those of a line check too where ``line_check`` is given.
    ``open_stem``: opens a stem's file at a sample rate.
    """
    _check_routing(show)
    needed = [*needed_words(show), *(line_check_words(show) if line_check else ())] if speak else []
    lengths, words = _words(show, folder, needed, words_folder)
    sounds = {
        name: open_prepared(inside(folder, file), show.sample_rate)[:, 0].astype(np.float32)
        for name, file in show.sounds.items()
    }

    def opened(song: Song) -> EntryAudio:
        if progress:
            progress(song.title)
        return _open_song(song, folder, show.sample_rate, sounds, open_stem)

    songs = {name: opened(show.songs[name]) for name in dict.fromkeys(e.song for e in show.entries)}
    audio = [songs[e.song] for e in show.entries]
    entries = [_entry(show, number, sound) for number, sound in enumerate(audio)]
    entries, audio = _with_slower(show, *_with_other_forms(show, entries, audio), opened)
    pads = between_songs(show, entries, audio)
    by_hand = tuple((s, _hand_sound(s, folder, show.sample_rate)) for s in show.hand_sounds)
    plan = _plan(show, entries, lengths, by_hand)
    plan = replace(plan, pads=frozenset(p.id for p in pads))
    return ReadyShow(show, plan, ShowAudio(tuple(audio), words, by_hand, pads))


def _check_routing(show: Show) -> None:
    problems = routing_problems(show.routing) + timecode_problems(show.routing, timecode_sockets(show.devices))
    if problems:
        raise Refused(*problems)
    if len({s.number for s in show.routing.sockets}) != len(show.routing.sockets):
        raise refuse("socket-twice", "Two sockets of the rig have the same number: renumber one of them.")


def _entry(show: Show, number: int, sound: EntryAudio) -> EntryPlan:
    """An entry, from 0, compiled with what it is in this setlist."""
    entry, wording = show.entries[number], show.voice.wording
    song = show.songs[entry.song]
    longest = max((s.over + s.delay for s in sound.stems), default=0)
    compiled = compile_entry(
        entry.id, song, song.form(entry.form), entry.link, show.sample_rate, longest, wording, show.devices
    )
    return replace(
        compiled,
        title_call=wording.said(song.title) if entry.call_title else "",
        players=entry.players,
        pad=pad_of(song),
        tonic=tonic(song.key),
        timecode=entry.timecode or own_label(number),
        screen=entry.screen,
    )


def _plan(
    show: Show, entries: Sequence[EntryPlan], lengths: WordLengths, by_hand: Sequence[tuple[HandSound, np.ndarray]]
) -> ShowPlan:
    """Everything the transport needs to know, but for the pads."""
    wording = show.voice.wording
    return ShowPlan(
        sample_rate=show.sample_rate,
        entries=tuple(entries),
        words=lengths,
        counts=wording.counts,
        feeds={f.id: f.name for f in show.routing.feeds},
        toned=frozenset(f.id for f in show.routing.feeds if f.tone is not None),
        intervals={after: 60.0 * minutes for after, minutes in show.intervals.items()},
        palette={text: wording.said(text) for text in show.palette},
        hand_sounds={s.id: HandSoundPlan(name=s.name, frames=len(p), again=s.again, only=s.only) for s, p in by_hand},
        sockets=line_sockets(show.routing, wording),
        devices={
            d.id: DevicePlan(d.name, {m.id: named_out(d, m) for m in d.messages})
            for d in show.devices
            if d.kind != "timecode"
        },
        clocks=tuple(d.id for d in show.devices if d.clock),
        timecodes=tuple(
            TimecodePlan(d.id, d.fps, d.on_jump == "run_on", d.socket) for d in show.devices if d.kind == "timecode"
        ),
    )


def _with_other_forms(
    show: Show, entries: list[EntryPlan], audio: list[EntryAudio]
) -> tuple[list[EntryPlan], list[EntryAudio]]:
    """Entries with the other forms of their songs behind them, to be taken on the spot."""
    plans, sounds = [*entries], [*audio]
    for i, (entry, plan) in enumerate(zip(show.entries, entries, strict=True)):
        song = show.songs[entry.song]
        played = song.form(entry.form).id
        for form in [f for f in song.forms if f.id != played][:MOST_FORMS]:
            try:
                other = compile_entry(
                    f"{entry.id}:{form.id}",
                    song,
                    form,
                    entry.link,
                    show.sample_rate,
                    plan.audio_end,
                    show.voice.wording,
                    show.devices,
                )
            except Refused:
                continue  # a form of nothing is not one that could be taken
            plans.append(_beside(other, plan, of=i))
            sounds.append(audio[i])
    return plans, sounds


def _beside(other: EntryPlan, own: EntryPlan, of: int, percent: int = 100) -> EntryPlan:
    """Another way to play entry ``of``, with what that is in the setlist."""
    return replace(
        other,
        of=of,
        percent=percent,
        title_call=own.title_call,
        players=own.players,
        pad=own.pad,
        tonic=own.tonic,
        timecode=own.timecode,
        screen=own.screen,
    )


def _with_slower(
    show: Show,
    entries: list[EntryPlan],
    audio: list[EntryAudio],
    opened: Callable[[Song], EntryAudio],
) -> tuple[list[EntryPlan], list[EntryAudio]]:
    """Entries with their songs slower behind them, in the form that is listed, to be taken in rehearsal (rule V2)."""
    plans, sounds = [*entries], [*audio]
    known: dict[tuple[str, int], EntryAudio] = {}
    for i, entry in enumerate(show.entries):
        for percent, song in show.slower.get(entry.song, ()):
            key = entry.song, percent
            if key not in known:
                known[key] = opened(song)
            sound, own = known[key], entries[i]
            plan = compile_entry(
                f"{entry.id}:slow{percent}",
                song,
                song.form(entry.form),
                entry.link,
                show.sample_rate,
                max((s.over + s.delay for s in sound.stems), default=0),
                show.voice.wording,
                show.devices,
            )
            plans.append(_beside(plan, own, of=i, percent=percent))
            sounds.append(sound)
    return plans, sounds


def _open_song(
    song: Song,
    folder: Path,
    sample_rate: int,
    sounds: Mapping[str, np.ndarray],
    open_stem: Callable[[Path, int], Pcm],
) -> EntryAudio:
    stems, driven = [], []
    for stem in song.stems:
        pcm = open_stem(inside(folder, stem.file), sample_rate)
        if stem.layer is not None and not isinstance(pcm, SilentPcm):
            pcm = cast(Pcm, laid(stem.layer, song, pcm, sample_rate))
        stems.append(edged(StemAudio.of(stem, pcm, sample_rate), song.edges, song.grid, sample_rate))
        for gate, drive in stem.gates_and_drives:
            own = replace(
                StemAudio.of(stem, cast(Pcm, DrivenPcm(pcm, sample_rate, gate, drive)), sample_rate),
                through=(gate, drive),
            )
            driven.append(edged(own, song.edges, song.grid, sample_rate))
    c = song.click
    names = (c.accent, c.beat, c.division, STICKS if song.count_in.sticks else c.count_in)
    click = click_voices(names, sample_rate, c.pitches, c.levels, sounds)
    return EntryAudio(tuple(stems), click, gain(c.gain_db), tuple(driven))


def _hand_sound(sound: HandSound, folder: Path, sample_rate: int) -> np.ndarray:
    """A sound by hand at its level, (frames, channels) float32; silence where its file cannot be read."""
    try:
        pcm = open_prepared(inside(folder, sound.file), sample_rate)
    except Refused:
        return np.zeros((1, 1), np.float32)
    most = round(HAND_SOUND_S.high * sample_rate)
    return pcm[:most].astype(np.float32) * np.float32(full_scale(pcm) * gain(sound.gain_db))


def inside(folder: Path, name: str) -> Path:
    """A file named by a document, which has to lie in the document's own folder. Raises :class:`Refused`."""
    path = (folder / name).resolve()
    if not path.is_relative_to(folder.resolve()):
        raise refuse("file-outside", f"The show names a file outside its own folder ({name}): it is not opened.")
    return path


def needed_words(show: Show) -> list[str]:
    """The words that the calls and counts of a show may need."""
    wording = show.voice.wording
    names: list[str] = []
    most = 0
    for entry in show.entries:
        song = show.songs[entry.song]
        if song.calls:
            names += [
                spoken_for(s, step, wording)
                for step in song.form(entry.form).steps
                if (s := song.section(step.section)).called
            ]
        names += [wording.said(cue.text) for cue in song.cues]
        if song.calls or (song.count_in.aloud and song.count_in.bars):
            most = max([most, *(len(counted(m).felt_beats) for _, m in song.grid.meters.changes)])
    names += [wording.said(text) for text in show.palette]
    names += [wording.said(show.songs[e.song].title) for e in show.entries if e.call_title]
    if not names and not most:
        return []
    from upbeat.cues.speech import spoken_words

    return spoken_words(names, wording.counts, most)


def line_check_words(show: Show) -> list[str]:
    """What a line check of a show says: the number and the name of each socket."""
    return [s.spoken for s in line_sockets(show.routing, show.voice.wording) if not s.kept]


def _words(
    show: Show, folder: Path, needed: Sequence[str], words_folder: Path | None
) -> tuple[WordLengths, dict[tuple[str, bool], np.ndarray]]:
    sounds: dict[tuple[str, bool], np.ndarray] = {}
    onsets: dict[tuple[str, bool], int] = {}
    for w in show.words:
        sounds[w.text, w.fast] = open_prepared(inside(folder, w.file), show.sample_rate)[:, 0].astype(np.float32)
        onsets[w.text, w.fast] = w.onset
    missing = [t for t in dict.fromkeys(needed) if (t, False) not in sounds]
    if missing:
        import tempfile

        from upbeat.cues.speech import make_words

        with tempfile.TemporaryDirectory() as temporary:
            for word in make_words(missing, show.voice, show.sample_rate, words_folder or temporary):
                sounds[word.text, word.fast] = word.sound
                onsets[word.text, word.fast] = word.onset
    for text in {t for t, _ in sounds}:
        sounds.setdefault((text, True), sounds.get((text, False), np.zeros(0, np.float32)))
        onsets.setdefault((text, True), onsets.get((text, False), 0))
    # A word that is silent in this voice takes no beat.
    texts = {t for t, fast in sounds if not fast and sounds[t, False].any()}
    lengths = {t: tuple(WordLength(len(sounds[t, f]), onsets[t, f]) for f in (False, True)) for t in texts}
    return lengths, sounds  # type: ignore[return-value]
