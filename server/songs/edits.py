"""Every edit of a song: one function for each, one way in, and undo.

An edit takes the song locked in a transaction, changes rows by the core's rules, and is kept
with the song before and after it. What the core refuses leaves no trace.
"""

from __future__ import annotations

import uuid
from collections.abc import Callable, Iterator
from typing import Any

from django.db import transaction

from backend.conflict import Conflict
from people.models import Player
from songs import grid
from songs.build import core_song, longest_seconds, whole
from songs.heard import song_findings
from songs.models import STEM_SETTINGS, Audio, Edit, Form, Measurement, Offer, Section, Song, Stem
from songs.offers import proposed_sections
from upbeat.click.sounds import SOUNDS
from upbeat.errors import refuse
from upbeat.form import sections as dividing
from upbeat.form import song as core
from upbeat.form.plan import Link, compile_entry
from upbeat.time.meter import TimeSignature
from upbeat.time.tempo import parse_bpm

KEEP_EDITS = 500
_FIELDS = ("title", "key", "tempo", "meters", "bar1_s", "pickup", "count_in_bars", "count_in_aloud", "click", "crossfade_ms", "ring_on_s", "calls", "endings", "pins")
_STEM_FIELDS = ("position", "name", "file_name", "group", "purpose", *STEM_SETTINGS, "tacet", "mends", "accepted")


def snapshot(song: Song) -> dict[str, Any]:
    """All of a song that undo brings back."""
    return {
        **{f: getattr(song, f) for f in _FIELDS},
        "sections": [{"id": str(s.pk), "name": s.name, "bars": s.bars, "colour": s.colour, "cue": s.cue} for s in song.sections.all()],
        "offers": {str(o.pk): o.taken for o in song.offers.all()},
        "forms": [{"id": str(f.pk), "name": f.name, "steps": f.steps} for f in song.forms.all()],
        "stems": [
            {"id": str(s.pk), "audio": str(s.audio_id), "covers": str(s.covers_id) if s.covers_id else None, **{f: getattr(s, f) for f in _STEM_FIELDS}}
            for s in song.stems.all()
        ],
    }


def restore(song: Song, kept: dict[str, Any]) -> None:
    """Make a song what :func:`snapshot` saw."""
    for field in _FIELDS:
        if field in kept:
            setattr(song, field, kept[field])
    _write_sections(song, tuple(core.Section(s["id"], s["name"], s["bars"], "", s["colour"], s["cue"]) for s in kept["sections"]))
    for offer in song.offers.all():
        Offer.objects.filter(pk=offer.pk).update(taken=kept.get("offers", {}).get(str(offer.pk), False))
    song.forms.all().delete()
    Form.objects.bulk_create([Form(id=f["id"], song=song, position=i, name=f["name"], steps=f["steps"]) for i, f in enumerate(kept["forms"])])
    players = {str(p) for p in Player.objects.filter(band=song.band).values_list("pk", flat=True)}
    audio = {str(a) for a in Audio.objects.filter(band=song.band).values_list("pk", flat=True)}
    song.stems.all().delete()
    Stem.objects.bulk_create([
        Stem(id=s["id"], song=song, audio_id=s["audio"], covers_id=s["covers"] if s["covers"] in players else None, **{f: s[f] for f in _STEM_FIELDS if f in s})
        for s in kept["stems"] if s["audio"] in audio
    ])  # fmt: skip


def apply_edit(song_id: Any, band: Any, user: Any, do: str, args: dict[str, Any], revision: int | None = None) -> Song:
    """Do one edit by name. Raises :class:`Refused`, :class:`Conflict`."""
    handler = EDITS.get(do)
    if handler is None:
        raise refuse("edit-unknown", f"There is no edit called “{do}”.")
    with transaction.atomic():
        song = _locked(song_id, band)
        _same_revision(song, revision)
        before = snapshot(song)
        try:
            handler(song, args)
        except (KeyError, TypeError, ValueError) as error:
            raise refuse("edit-incomplete", f"The edit “{do}” misses or misspells something: {error}.") from None
        # The cached rows are the old ones.
        song = _finish(song)
        after = snapshot(song)
        if after != before:
            song.edits.filter(undone=True).delete()
            Edit.objects.create(song=song, label=do, before=before, after=after, user=user if user and user.is_authenticated else None)
            old = song.edits.order_by("-pk").values_list("pk", flat=True)[KEEP_EDITS:]
            Edit.objects.filter(pk__in=list(old)).delete()
    return song


def undo(song_id: Any, band: Any, revision: int | None = None) -> Song:
    """Take the last edit back. Raises :class:`Refused` if there is none."""
    return _travel(song_id, band, revision, back=True)


def redo(song_id: Any, band: Any, revision: int | None = None) -> Song:
    """Do again what was taken back last."""
    return _travel(song_id, band, revision, back=False)


def _travel(song_id: Any, band: Any, revision: int | None, back: bool) -> Song:
    with transaction.atomic():
        song = _locked(song_id, band)
        _same_revision(song, revision)
        edits = song.edits.filter(undone=not back)
        edit = edits.last() if back else edits.first()
        if edit is None:
            raise refuse("undo-nothing" if back else "redo-nothing", "There is nothing to take back." if back else "There is nothing to do again.")
        restore(song, edit.before if back else edit.after)
        edit.undone = back
        edit.save()
        return _finish(song)


def _locked(song_id: Any, band: Any) -> Song:
    return Song.objects.select_for_update().get(pk=song_id, band=band)


def _same_revision(song: Song, revision: int | None) -> None:
    if revision is not None and revision != song.revision:
        last = song.edits.order_by("-pk").select_related("user").first()
        who = last.user.first_name if last and last.user else "Somebody"
        raise Conflict(f"{who} changed “{song.title}” meanwhile: look at it as it is now, then make your edit again.", {"revision": song.revision})


def _finish(song: Song) -> Song:
    song.revision += 1
    song.save()
    fresh = whole(song.pk)
    checked = core_song(fresh)
    for form in checked.forms:
        if any(step.ending.kind != "cut" for step in form.steps):
            compile_entry("check", checked, form, Link(), 8000)
    return fresh


# --- sections ----------------------------------------------------------------------------


def _sections(song: Song) -> tuple[core.Section, ...]:
    return tuple(core.Section(str(s.pk), s.name, s.bars, "", s.colour, s.cue) for s in song.sections.all())


def _write_sections(song: Song, sections: tuple[core.Section, ...]) -> None:
    song.sections.all().delete()
    Section.objects.bulk_create([Section(id=s.id, song=song, position=i, name=s.name[:80], bars=s.bars, colour=s.colour, cue=s.cue[:80]) for i, s in enumerate(sections)])
    song.endings = {k: v for k, v in song.endings.items() if k in {s.id for s in sections}}


def _new_ids() -> Iterator[str]:
    while True:
        yield str(uuid.uuid4())


def _mark_section(song: Song, args: dict[str, Any]) -> None:
    span = dividing.BarSpan(int(args["first"]), int(args["last"]))
    name = str(args.get("name") or "").strip() or "Section"
    _write_sections(song, dividing.mark_section(_sections(song), span, name[:80], _new_ids()))


def _rename_section(song: Song, args: dict[str, Any]) -> None:
    section = song.sections.filter(pk=args["section"]).first()
    if section is None:
        raise refuse("section-unknown", "That section is no longer there: reload the song.")
    name = str(args.get("name", section.name)).strip()
    if not name:
        raise refuse("section-nameless", "A section needs a name: type one, such as Verse.")
    section.name = name[:80]
    section.cue = str(args.get("cue", section.cue)).strip()[:80]
    section.colour = min(6, max(1, int(args.get("colour", section.colour))))
    section.save()


def _move_boundary(song: Song, args: dict[str, Any]) -> None:
    _write_sections(song, dividing.move_boundary(_sections(song), str(args["section"]), int(args["first"])))


def _resize_section(song: Song, args: dict[str, Any]) -> None:
    _write_sections(song, dividing.resize(_sections(song), str(args["section"]), int(args["bars"])))


def _join_section(song: Song, args: dict[str, Any]) -> None:
    _write_sections(song, dividing.join_with_next(_sections(song), str(args["section"])))


def _set_ending(song: Song, args: dict[str, Any]) -> None:
    if not song.sections.filter(pk=args["section"]).exists():
        raise refuse("section-unknown", "That section is no longer there: reload the song.")
    ending = core.Ending(args["kind"], int(args.get("times", 2)) if args["kind"] == "repeat" else 1)
    song.endings = {**song.endings, str(args["section"]): {"kind": ending.kind, "times": ending.times}}


def _set_length(song: Song, args: dict[str, Any]) -> None:
    _write_sections(song, dividing.fit_to_bars(_sections(song), int(args["bars"])))


# --- tempo, grid, the rest of the facts ----------------------------------------------------


def _set_tempo(song: Song, args: dict[str, Any]) -> None:
    """One tempo at a bar (bar 1 unless said); an empty bpm takes a change out."""
    covering = _covering(song)
    bar = int(args.get("bar", 1))
    rest = [t for t in song.tempo if t["bar"] != bar]
    if args.get("bpm") in (None, "") and bar != 1:
        song.tempo = rest
    else:
        parse_bpm(args["bpm"])
        point = {"bar": bar, "bpm": str(args["bpm"]).strip().replace(",", ".")}
        if args.get("unit"):
            point["unit"] = str(args["unit"])
        if args.get("ramp"):
            point["ramp"] = True
        song.tempo = sorted([*rest, point], key=lambda t: t["bar"])
    if covering:
        _cover(song)


def _scale_tempo(song: Song, args: dict[str, Any]) -> None:
    """Half or double: every tempo of the song times ``by``."""
    by = float(args["by"])
    if not 0.1 <= by <= 10:
        raise refuse("tempo-factor", f"A tempo is not made {by:g} times as fast: type it instead.")
    covering = _covering(song)
    song.tempo = grid.scaled(song.tempo, by)
    if covering:
        _cover(song)


def _set_meter(song: Song, args: dict[str, Any]) -> None:
    covering = _covering(song)
    bar = int(args.get("bar", 1))
    rest = [m for m in song.meters if m["bar"] != bar]
    if args.get("meter") in (None, "") and bar != 1:
        song.meters = rest
    else:
        signature = TimeSignature.parse(str(args["meter"]), args.get("grouping"))
        meter: dict[str, Any] = {"bar": bar, "meter": str(signature)}
        if signature.grouping:
            meter["grouping"] = list(signature.grouping)
        song.meters = sorted([*rest, meter], key=lambda m: m["bar"])
    if covering:
        _cover(song)


def _set_bar1(song: Song, args: dict[str, Any]) -> None:
    """The time of bar 1 beat 1, or ``by_ms`` or ``by_beats`` from where it is."""
    if "by_beats" in args:
        bpm, _, _ = grid.felt(song)
        seconds = float(song.bar1_s) + float(args["by_beats"]) * 60 / bpm
    elif "by_ms" in args:
        seconds = float(song.bar1_s) + float(args["by_ms"]) / 1000
    else:
        seconds = float(args["seconds"])
    if not -60 <= seconds <= 3600:
        raise refuse("bar1-range", f"Bar 1 at {seconds:g} s cannot be: it lies between −60 and 3600 s.")
    covering = _covering(song)
    song.bar1_s = grid.figure(seconds)
    if covering:
        _cover(song)


def _take_grid(song: Song, args: dict[str, Any]) -> None:
    """Set tempo and bar 1 by what was heard: ``how`` is both, shift or follow; ``even`` from 0 to 1."""
    row = song.measurements.filter(pk=args["measurement"], state=Measurement.State.DONE).first()
    if row is None:
        raise refuse("measurement-gone", "What was heard is no longer there: listen again.")
    changes = grid.taken(song, row, str(args["how"]), float(args.get("even", 0)))
    covering = _covering(song)
    for field, value in changes.items():
        setattr(song, field, value)
    if covering:
        _cover(song)


def _pin_bar(song: Song, args: dict[str, Any]) -> None:
    """Put a bar line by hand, at ``seconds``; without them the pin is taken out."""
    bar = int(args["bar"])
    if not 1 <= bar <= sum(s.bars for s in _sections(song)):
        raise refuse("bar-unknown", "That bar is not in the song: choose one of its own.")
    pins = {b: s for b, s in song.pins.items() if int(b) != bar}
    if args.get("seconds") is not None:
        seconds = float(args["seconds"])
        if not -60 <= seconds <= 10_800:
            raise refuse("pin-range", f"A bar line at {seconds:g} s cannot be.")
        pins[str(bar)] = round(seconds, 6)
    song.pins = pins
    row = song.measurements.filter(pk=args.get("measurement") or 0, state=Measurement.State.DONE).first()
    if row is not None:
        for field, value in grid.taken(song, row, "follow", float(args.get("even", 0))).items():
            setattr(song, field, value)


def _covering(song: Song) -> bool:
    """Whether the song is as long as its stems make it, and should stay so.

    A song without stems grows with its first one unless it was divided into sections before.
    """
    sections = _sections(song)
    seconds = longest_seconds(song)
    if not seconds:
        return len(sections) <= 1
    return sum(s.bars for s in sections) == core_song(song).grid.bars_to_cover(seconds)


def _cover(song: Song) -> None:
    """Let the last section reach to the end of the longest stem; no other section is touched."""
    seconds = longest_seconds(song)
    if not seconds:
        return
    song.save()
    fresh = Song.objects.get(pk=song.pk)
    sections = _sections(fresh)
    if not sections:
        return
    needed = min(core.MAX_BARS, core_song(fresh).grid.bars_to_cover(seconds))
    before = sum(s.bars for s in sections[:-1])
    if needed > before and needed - before != sections[-1].bars:
        _write_sections(song, dividing.fit_to_bars(sections, needed))


def _set_facts(song: Song, args: dict[str, Any]) -> None:
    if "title" in args:
        title = str(args["title"]).strip()
        if not title:
            raise refuse("song-nameless", "A song needs a title: type one.")
        song.title = title[:120]
    if "key" in args:
        song.key = str(args["key"]).strip()[:20]
    if "pickup" in args:
        song.pickup = str(args["pickup"]).strip()[:20]
    if "count_in_bars" in args:
        song.count_in_bars = int(args["count_in_bars"])
    for field in ("count_in_aloud", "calls"):
        if field in args:
            setattr(song, field, bool(args[field]))
    for field in ("crossfade_ms", "ring_on_s"):
        if field in args:
            setattr(song, field, float(args[field]))
    if "click" in args:
        song.click = {**song.click, **_click(args["click"])}


def _click(raw: dict[str, Any]) -> dict[str, Any]:
    kept: dict[str, Any] = {}
    for voice in ("accent", "beat", "division", "count_in"):
        if voice in raw:
            if raw[voice] not in SOUNDS:
                raise refuse("click-sound-unknown", f"There is no click sound “{raw[voice]}”: choose one of {', '.join(SOUNDS)}.")
            kept[voice] = raw[voice]
    if "gain_db" in raw:
        kept["gain_db"] = float(raw["gain_db"])
    if "divisions" in raw:
        kept["divisions"] = int(raw["divisions"])
    return kept


# --- stems -------------------------------------------------------------------------------


def _add_stem(song: Song, args: dict[str, Any]) -> None:
    """Used by import, once the sound is ready."""
    covering = _covering(song)
    Stem.objects.create(
        id=args["id"], song=song, audio=Audio.objects.get(pk=args["audio"], band=song.band), name=free_name(song, args["name"]), file_name=args["file_name"][:255],
        group=args["group"], purpose="full_mix" if args["group"] == "full_mix" else "always", position=args["position"],
    )  # fmt: skip
    if covering:
        _cover(song)


def free_name(song: Song, name: str) -> str:
    """``name``, or with a number behind it where the song has a stem called so."""
    taken = set(song.stems.values_list("name", flat=True))
    if name not in taken:
        return name[:120]
    return next(f"{name[:110]} {n}" for n in range(2, 10_000) if f"{name[:110]} {n}" not in taken)


_RANGES = {
    "gain_db": (-120, 20), "pan": (-1, 1), "delay_ms": (-10_000, 10_000), "start_s": (0, 10_800), "end_s": (0, 10_800), "fade_in_s": (0, 600), "fade_out_s": (0, 600),
}  # fmt: skip


def _set_stem(song: Song, args: dict[str, Any]) -> None:
    stem = _stem_of(song, args)
    if "name" in args:
        name = str(args["name"]).strip()
        if not name:
            raise refuse("stem-nameless", "A stem needs a name: type one.")
        if song.stems.exclude(pk=stem.pk).filter(name=name).exists():
            raise refuse("stem-name-taken", f"There is a stem called “{name}” already: choose another name.")
        stem.name = name[:120]
    if "group" in args:
        stem.group = _one_of(args["group"], core.GROUPS, "group")
    if "purpose" in args:
        stem.purpose = _one_of(args["purpose"], core.PURPOSES, "purpose")
    if "covers" in args:
        player = Player.objects.filter(pk=args["covers"], band=song.band).first() if args["covers"] else None
        if args["covers"] and player is None:
            raise refuse("player-unknown", "That player is not in the band: choose one who is.")
        stem.covers = player
        stem.purpose = "covers" if player else ("always" if stem.purpose == "covers" else stem.purpose)
    for field, (low, high) in _RANGES.items():
        if field == "end_s" and field in args and args[field] is None:
            stem.end_s = None
        elif field in args:
            value = float(args[field])
            if not low <= value <= high:
                raise refuse("stem-range", f"{value:g} is out of range for a stem: {low} to {high}.")
            setattr(stem, field, value)
    for field in ("muted", "invert", "flip_side", "mono"):
        if field in args:
            setattr(stem, field, bool(args[field]))
    if "tacet" in args:
        known = {str(s) for s in song.sections.values_list("pk", flat=True)}
        stem.tacet = [s for s in map(str, args["tacet"]) if s in known]
    stem.save()


def _mend(song: Song, args: dict[str, Any]) -> None:
    """Do what a finding proposes; what the stem was before is kept with it."""
    stem = _stem_of(song, args)
    code = str(args["code"])
    finding = next((f for f in song_findings(song)[0] if f.stem == str(stem.pk) and f.code == code), None)
    if finding is None or finding.mend is None:
        raise refuse("mend-unknown", f"There is nothing to mend about “{stem.name}” any more: reload the song.")
    if code in stem.mends:
        return
    changes = finding.mend.changes
    stem.mends = {**stem.mends, code: {"kind": finding.mend.kind, "message": finding.message, "before": {f: getattr(stem, f) for f in changes}}}
    stem.accepted = [c for c in stem.accepted if c != code]
    stem.save()
    _set_stem(song, {"stem": stem.pk, **changes})


def _unmend(song: Song, args: dict[str, Any]) -> None:
    stem = _stem_of(song, args)
    kept = stem.mends.get(str(args["code"]))
    if kept is None:
        raise refuse("mend-gone", f"“{stem.name}” is not mended like that any more: reload the song.")
    stem.mends = {c: m for c, m in stem.mends.items() if c != args["code"]}
    stem.save()
    _set_stem(song, {"stem": stem.pk, **kept["before"]})


def _accept_finding(song: Song, args: dict[str, Any]) -> None:
    """Leave a finding as it is (or open it again): it is no longer shown among the worst."""
    stem = _stem_of(song, args)
    rest = [c for c in stem.accepted if c != args["code"]]
    stem.accepted = [*rest, str(args["code"])[:40]] if args.get("accepted", True) else rest
    stem.save()


def _set_sections(song: Song, args: dict[str, Any]) -> None:
    """All sections anew, each with the bar it starts at; the song keeps its length."""
    total = sum(s.bars for s in _sections(song))
    starts = sorted({int(s["bar"]): str(s["name"]).strip()[:80] or "Section" for s in args["sections"] if 1 <= int(s["bar"]) <= total}.items())
    if not starts or starts[0][0] != 1:
        raise refuse("sections-first", "The first section starts at bar 1: say what begins there.")
    ends = [bar for bar, _ in starts[1:]] + [total + 1]
    ids = _new_ids()
    _write_sections(song, dividing.remarked(tuple(core.Section(next(ids), name, end - bar, colour=1 + i % 6) for i, ((bar, name), end) in enumerate(zip(starts, ends, strict=True)))))


def _take_offer(song: Song, args: dict[str, Any]) -> None:
    offer = song.offers.filter(pk=args["offer"]).first()
    if offer is None:
        raise refuse("offer-gone", "What that file offered is no longer there: reload the song.")
    told = offer.told
    if offer.kind == "facts":
        if told.get("title"):
            _set_facts(song, {"title": told["title"]})
        if told.get("bpm"):
            _set_tempo(song, {"bpm": told["bpm"]})
    elif offer.kind == "tempo_map":
        covering = _covering(song)
        song.tempo, song.meters = told["tempo"], told["meters"]
        song.save()
        if covering:
            _cover(song)
        elif told.get("bars"):
            _write_sections(song, dividing.fit_to_bars(_sections(song), int(told["bars"])))
    else:
        _set_sections(song, {"sections": [{"bar": p.bar, "name": p.name} for p in proposed_sections(song, offer)]})
    Offer.objects.filter(pk=offer.pk).update(taken=True)


def _one_of(value: Any, allowed: tuple[str, ...], what: str) -> str:
    if value not in allowed:
        raise refuse(f"{what}-unknown", f"“{value}” is not a {what}: choose one of {', '.join(allowed)}.")
    return str(value)


def _remove_stem(song: Song, args: dict[str, Any]) -> None:
    _stem_of(song, args).delete()


def _stem_of(song: Song, args: dict[str, Any]) -> Stem:
    stem = song.stems.filter(pk=args["stem"]).first()
    if stem is None:
        raise refuse("stem-unknown", "That stem is no longer there: reload the song.")
    return stem


# --- forms -------------------------------------------------------------------------------


def _set_form(song: Song, args: dict[str, Any]) -> None:
    """Make a form, or put another list of steps in one that has an id."""
    steps = []
    known = {str(s) for s in song.sections.values_list("pk", flat=True)}
    for raw in args["steps"]:
        if str(raw["section"]) not in known:
            raise refuse("section-unknown", "A step names a section that is no longer there: reload the song.")
        ending = core.Ending(**raw.get("ending", {}))
        steps.append({"section": str(raw["section"]), "ending": {"kind": ending.kind, "times": ending.times}})
    if not steps or all(s["ending"]["kind"] == "cut" for s in steps):
        raise refuse("form-empty", "A form needs at least one section that is played.")
    name = str(args.get("name") or "Short").strip()[:80]
    form = song.forms.filter(pk=args["form"]).first() if args.get("form") else None
    if form is None:
        form = Form(song=song, position=song.forms.count())
    form.name, form.steps = name, steps
    form.save()


def _remove_form(song: Song, args: dict[str, Any]) -> None:
    song.forms.filter(pk=args["form"]).delete()


EDITS: dict[str, Callable[[Song, dict[str, Any]], None]] = {
    "mark_section": _mark_section, "rename_section": _rename_section, "move_boundary": _move_boundary,
    "resize_section": _resize_section, "join_section": _join_section, "set_ending": _set_ending,
    "set_length": _set_length, "set_tempo": _set_tempo, "scale_tempo": _scale_tempo, "set_meter": _set_meter, "set_bar1": _set_bar1, "take_grid": _take_grid, "pin_bar": _pin_bar,
    "set_facts": _set_facts, "set_stem": _set_stem,
    "remove_stem": _remove_stem, "mend": _mend, "unmend": _unmend, "accept_finding": _accept_finding, "set_sections": _set_sections, "take_offer": _take_offer,
    "set_form": _set_form, "remove_form": _remove_form,
}  # fmt: skip


def add_stem(song_id: Any, band: Any, user: Any, args: dict[str, Any]) -> Song:
    """The edit that import makes; it is undone like any other."""
    with transaction.atomic():
        song = _locked(song_id, band)
        before = snapshot(song)
        _add_stem(song, args)
        song = _finish(song)
        song.edits.filter(undone=True).delete()
        Edit.objects.create(song=song, label="add_stem", before=before, after=snapshot(song), user=user)
    return song
