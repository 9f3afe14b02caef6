"""The front door: ``upbeat inspect | tempo-map | align | click | bounce | dress-run | replay | report | fold-down | prepare | why | messages | timecode | patch-sheet | schema``. See docs/cli.md."""

from __future__ import annotations

import argparse
import json
import os
import sys
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING, Any, NoReturn

from upbeat.cli_verbs import parser
from upbeat.errors import Problem, Refused, refuse

if TYPE_CHECKING:
    from upbeat.audio.pcm import WavWriter
    from upbeat.show.document import Show


def _inspect(args: argparse.Namespace) -> dict[str, Any]:
    from upbeat.show.examine import inspect_file, inspect_folder

    path = Path(args.file)
    if path.is_dir():
        return inspect_folder(path.resolve())
    if not path.is_file():
        raise refuse("file-missing", f"There is no file at “{path.name}”.")
    return inspect_file(path)


def _tempo_map(args: argparse.Namespace) -> dict[str, Any]:
    from upbeat.intake.midi import tempo_map

    path = Path(args.file)
    if not path.is_file():
        raise refuse("file-missing", f"There is no file at “{path.name}”.")
    return tempo_map(path)


def _align(args: argparse.Namespace) -> dict[str, Any]:
    from upbeat.listening.follow.result import align
    from upbeat.time.meter import TimeSignature

    path = Path(args.file)
    if not path.is_file():
        raise refuse("file-missing", f"There is no file at “{path.name}”.")
    return align(path, args.bpm, TimeSignature.parse(args.meter, args.grouping), args.pickup, args.follow)


def _bounce(args: argparse.Namespace) -> dict[str, Any]:
    from upbeat.show.bounce import read_presses, rehearse
    from upbeat.show.bundle import open_bundle
    from upbeat.show.cores import render_on_every_core
    from upbeat.show.ready import make_ready

    out = Path(args.out)
    with open_bundle(args.show) as (show, folder):
        presses = read_presses(_json_file(Path(args.presses)), show.sample_rate) if args.presses else None
        ready = make_ready(show, folder)
        if not show.routing.sockets:
            raise refuse("no-sockets", "The show has no sockets to play to: wire its feeds to a rig first.")
        with _sockets_file(out, show) as (writer, part):
            spans, events = rehearse(ready, presses, None if args.entry is None else args.entry - 1)
            writer.skip(spans[-1].end if spans else 0)
            render_on_every_core(ready, spans, part)
            _write_events(out, show, events)
    return {**_written(writer), "seconds": writer.frames / show.sample_rate, "sockets": len(show.routing.sockets)}


@contextmanager
def _sockets_file(out: Path, show: Show) -> Iterator[tuple[WavWriter, Path]]:
    """``sockets.wav`` in the folder ``out``, under another name until it is whole. Raises :class:`Refused`."""
    from upbeat.audio.pcm import WavWriter

    try:
        out.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise refuse("out-unwritable", f"The folder “{out.name}” cannot be made: {error.strerror}.") from None
    part = out / "sockets.wav.part"
    try:
        with WavWriter(part, show.sample_rate, len(show.routing.sockets)) as writer:
            yield writer, part
        part.replace(out / "sockets.wav")
    finally:
        part.unlink(missing_ok=True)


def _write_events(out: Path, show: Show, events: list[dict[str, Any]]) -> None:
    sockets = [s.number for s in show.routing.sockets]
    document = {"sample_rate": show.sample_rate, "sockets": sockets, "events": events}
    (out / "events.json").write_text(json.dumps(document, ensure_ascii=False))


def _written(writer: WavWriter) -> dict[str, Any]:
    return {"ok": True, "problems": [], "file": "sockets.wav", "events": "events.json", "frames": writer.frames}


def _replay(args: argparse.Namespace) -> dict[str, Any]:
    from upbeat.show.bundle import open_bundle
    from upbeat.show.ready import make_ready
    from upbeat.show.replay import read_night, replay

    out, night = Path(args.out), read_night(Path(args.log))
    with open_bundle(args.show) as (show, folder):
        ready = make_ready(show, folder)
        with _sockets_file(out, show) as (writer, _):
            _write_events(out, show, replay(ready, night, lambda block: writer.write(block.T)))
    faults = [line for line in night.lines if line.get("kind") in ("fault", "dropout")]
    return {**_written(writer), "faults": faults}


def _report(args: argparse.Namespace) -> dict[str, Any]:
    from upbeat.show.bundle import open_bundle
    from upbeat.show.ready import make_ready
    from upbeat.show.replay import read_night
    from upbeat.show.report import report

    night = read_night(Path(args.log))
    with open_bundle(args.show) as (show, folder):
        return {"ok": True, "problems": [], "entries": report(make_ready(show, folder), night)}


def _dress_run(args: argparse.Namespace) -> dict[str, Any]:
    from dataclasses import asdict

    from upbeat.show.bundle import DOCUMENT, open_bundle
    from upbeat.show.dress_run.kept import Kept, read_kept, write_kept
    from upbeat.show.dress_run.run import dress_run

    file = Path(args.kept) if args.kept else None
    with open_bundle(args.show) as (show, folder):
        kept = Kept(json.loads((folder / DOCUMENT).read_text("utf-8")), read_kept(file)) if file else None
        words = Path(args.words) if args.words else None
        found = dress_run(show, folder, words, _tell_progress if args.progress else None, kept)
    if file:
        write_kept(file, found.kept)
    return {
        "ok": True,
        "seconds": round(found.seconds, 3),
        "problems": [asdict(f) for f in found.faults],
        "sockets": found.sockets,
        "entries": found.entries,
        "counts": found.counts,
    }


def _fold_down(args: argparse.Namespace) -> dict[str, Any]:
    from upbeat.show.bundle import DOCUMENT, files_of, open_bundle, write_bundle
    from upbeat.show.other_rig import on_other_rig, powers_in, sockets_for, taken_to

    with open_bundle(args.show) as (show, folder):
        document = json.loads((folder / DOCUMENT).read_text("utf-8"))
        routing, lost = on_other_rig(show, powers_in(folder, show.sample_rate), sockets_for(show.routing, args.sockets))
        made = taken_to(document, routing)
        write_bundle(args.out, made, files_of(made, folder))
    said = [{"what": one.what, "code": one.code, "message": one.message, "db": one.db} for one in lost]
    return {"ok": True, "problems": [], "file": Path(args.out).name, "patch": made["patch"], "lost": said}


def _patch_sheet(args: argparse.Namespace) -> dict[str, Any]:
    from upbeat.paper import fitted
    from upbeat.show.bundle import DOCUMENT, open_bundle
    from upbeat.show.patch_sheet import SIZES, page, table

    out = Path(args.out)
    kind = out.suffix.lower()
    if kind not in (".pdf", ".csv"):
        raise refuse("out-kind", f"“{out.name}” names no kind of file: end it in .pdf or .csv.")
    with open_bundle(args.show) as (show, folder):
        rig = json.loads((folder / DOCUMENT).read_text("utf-8")).get("rig", {}).get("name", "")
    made = table(show).encode() if kind == ".csv" else fitted(lambda size: page(show, rig, size), SIZES, 1)
    part = out.with_name(out.name + ".part")
    try:
        part.write_bytes(made)
        part.replace(out)
    finally:
        part.unlink(missing_ok=True)
    return {"ok": True, "problems": [], "file": out.name, "sockets": len(show.routing.sockets)}


def _messages(args: argparse.Namespace) -> dict[str, Any]:
    from upbeat.show.bounce import read_presses
    from upbeat.show.bundle import open_bundle
    from upbeat.show.messages import listed
    from upbeat.show.ready import make_ready

    with open_bundle(args.show) as (show, folder):
        presses = read_presses(_json_file(Path(args.presses)), show.sample_rate) if args.presses else None
        return {"ok": True, "problems": [], "messages": listed(make_ready(show, folder), presses, args.entry - 1)}


def _timecode(args: argparse.Namespace) -> dict[str, Any]:
    import numpy as np

    from upbeat.audio.pcm import WavWriter
    from upbeat.show.bundle import open_bundle
    from upbeat.show.ready import make_ready
    from upbeat.show.timecode import timecode_sound

    out = Path(args.out)
    if out.suffix.lower() != ".wav":
        raise refuse("out-kind", f"“{out.name}” names no kind of file: end it in .wav.")
    with open_bundle(args.show) as (show, folder):
        sound = timecode_sound(make_ready(show, folder), args.entry - 1, args.fps, args.start)
    part = out.with_name(out.name + ".part")
    try:
        with WavWriter(part, show.sample_rate, 1, np.float32) as writer:
            writer.write(sound[:, None])
        part.replace(out)
    finally:
        part.unlink(missing_ok=True)
    length = {"frames": len(sound), "seconds": len(sound) / show.sample_rate}
    return {"ok": True, "problems": [], "file": out.name, "sample_rate": show.sample_rate, **length}


def _why(args: argparse.Namespace) -> dict[str, Any]:
    from dataclasses import asdict

    from upbeat.show.bundle import open_bundle
    from upbeat.show.ready import make_ready
    from upbeat.show.why import place_at, why_at

    with open_bundle(args.show) as (show, folder):
        ready = make_ready(show, folder)
        found = why_at(ready, args.source, args.socket, place_at(ready, args.entry - 1, args.bar))
    return {"ok": True, "problems": [], **asdict(found)}


def _tell_progress(share: float) -> None:
    print(f"{share:.3f}", file=sys.stderr, flush=True)


def _prepare(args: argparse.Namespace) -> dict[str, Any]:
    from upbeat.show.bundle import open_bundle
    from upbeat.show.prepare import prepare_song, tempo_at
    from upbeat.song.key_tempo import key_tempo

    change = key_tempo(args.semitones, args.tempo)
    with open_bundle(args.show, as_recorded=True) as (show, folder):
        song = show.songs[show.entry(args.entry - 1).song]
        tell = _tell_progress if args.progress else lambda share: None
        stems = prepare_song(song, folder, Path(args.out), change, show.sample_rate, tell)
    return {"ok": True, "problems": [], "stems": stems, "tempo": tempo_at(song, change)}


def _click(args: argparse.Namespace) -> dict[str, Any]:
    from upbeat.show.bundle import open_bundle
    from upbeat.show.guides import WHAT, guide_midi, guide_sound, ready_guides, write_sound

    out = Path(args.out)
    kind = out.suffix.lower().lstrip(".")
    if kind not in ("wav", "flac", "mid"):
        raise refuse("out-kind", f"“{out.name}” names no kind of file: end it in .wav, .flac or .mid.")
    what = "both" if args.cues else "click"
    assert what in WHAT
    with open_bundle(args.show) as (show, folder):
        part = out.with_name(out.name + ".part")
        try:
            ready = ready_guides(show, args.entry - 1, folder, what)
            title = ready.plan.entries[0].title
            if kind == "mid":
                part.write_bytes(guide_midi(ready, what))
                frames = None
            else:
                tags = {"title": title, "comment": "Click and cues" if args.cues else "Click"}
                frames = write_sound(
                    part, guide_sound(show, args.entry - 1, folder, what), show.sample_rate, kind, tags
                )
            part.replace(out)
        finally:
            part.unlink(missing_ok=True)
    length = (
        {}
        if frames is None
        else {"sample_rate": show.sample_rate, "frames": frames, "seconds": frames / show.sample_rate}
    )
    return {"ok": True, "problems": [], "file": out.name, "title": title, **length}


def _schema(args: argparse.Namespace) -> dict[str, Any]:
    from upbeat.show.document import schema

    return schema()


def _json_file(path: Path) -> Any:
    try:
        return json.loads(path.read_text("utf-8"))
    except OSError:
        raise refuse("file-missing", f"There is no file at “{path.name}”.") from None
    except (ValueError, RecursionError):
        raise refuse("presses-format", f"“{path.name}” is not JSON: write a list of presses.") from None


#: What each verb runs.
_RUNS: dict[str, Callable[[argparse.Namespace], dict[str, Any]]] = {
    "inspect": _inspect,
    "tempo-map": _tempo_map,
    "align": _align,
    "bounce": _bounce,
    "click": _click,
    "dress-run": _dress_run,
    "replay": _replay,
    "report": _report,
    "fold-down": _fold_down,
    "prepare": _prepare,
    "why": _why,
    "messages": _messages,
    "timecode": _timecode,
    "patch-sheet": _patch_sheet,
    "schema": _schema,
}


def main(argv: list[str] | None = None) -> int:
    """Run a verb. 0: done; 1: the input is refused; 2: wrong usage."""
    args = parser().parse_args(argv)
    try:
        answer = _RUNS[args.verb](args)
    except Refused as refused:
        answer = {"ok": False, "problems": [p.as_dict() for p in refused.problems]}
    except OSError as error:
        answer = {
            "ok": False,
            "problems": [Problem("file-system", f"The disk said no: {error.strerror or error}.").as_dict()],
        }
    except MemoryError:
        answer = {
            "ok": False,
            "problems": [Problem("memory", "This needs more memory than the machine has free.").as_dict()],
        }
    try:
        if args.json or args.verb == "schema":
            sys.stdout.write(json.dumps(answer, ensure_ascii=False) + "\n")
        else:
            _print(answer)
        sys.stdout.flush()
    except BrokenPipeError:
        # Whoever read the answer has heard enough; what is left in the buffer has nowhere to go.
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
    return 0 if answer.get("ok", True) else 1


def run() -> NoReturn:
    """The command itself: :func:`main`, and out. What it opened is closed by then; taking the
    interpreter apart would be a tenth of a short bounce."""
    status = main()
    sys.stdout.flush()
    sys.stderr.flush()
    os._exit(status)


def _print(answer: dict[str, Any]) -> None:
    for problem in answer.get("problems", []):
        print(problem["message"])
    for key, value in answer.items():
        if isinstance(value, list) and value and isinstance(value[0], dict):
            print(f"{key:>18}  {len(value)}")
        elif key not in ("ok", "problems"):
            print(f"{key:>18}  {value}")


if __name__ == "__main__":
    run()
