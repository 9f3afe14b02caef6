"""Whether the pictures in docs/screenshots still show their views.

``tools/screenshots.py`` writes beside the pictures a hash of what each was drawn by: the components its
view is made of, the styles, the words. ``tools/pictures.py`` names the pictures whose view has another
hash by now, and fails if there is one.
"""

from __future__ import annotations

import hashlib
import json
import re
import sys
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]
SOURCE = ROOT / "web" / "src"
PICTURES = ROOT / "docs" / "screenshots"
RECORD = PICTURES / "views.json"

_SONG = ["shell/masthead.tsx", "shell/song-page.tsx", "shell/view-frame.tsx"]
_PAGE = ["shell/masthead.tsx"]
VIEWS = {
    "songs": [*_PAGE, "songs/songs-page.tsx"],
    "song": [*_SONG, "chart/chart.tsx", "chart/chart-tools.tsx"],
    "grid": [*_SONG, "grid/grid-view.tsx"],
    "forms": [*_SONG, "forms/forms-view.tsx"],
    "seams": [*_SONG, "seams/seams-view.tsx"],
    "tacet": [*_SONG, "sheet/sheet-view.tsx"],
    "click": [*_SONG, "click/click-view.tsx"],
    "levels": [*_SONG, "levels/levels-view.tsx"],
    "messages": [*_SONG, "messages/messages-view.tsx", "messages/device-list.tsx"],
    "setlist": [*_PAGE, "setlists/setlist-page.tsx"],
    "dress": [*_PAGE, "shows/dress-run-page.tsx"],
    "outputs": [*_PAGE, "outputs/outputs-page.tsx"],
    "night": [*_PAGE, "nights/nights-page.tsx"],
    "stage": ["stage/stage-page.tsx"],
    "line-check": ["stage/line-check-page.tsx"],
    "hands": [*_PAGE, "hands/hands-page.tsx"],
    "screens": ["screen/screen-page.tsx", "messages/film-player.tsx"],
    "band": ["band/band-page.tsx", "stage/remote.tsx"],
    "parts": ["stage/parts/parts-view.tsx", "stage/stage-side.tsx", "stage/running.tsx"],
}

_IMPORT = re.compile(r'from "((?:@/|\.{1,2}/)[^"]+)"')
_COMMENT = re.compile(r"/\*.*?\*/|^\s*//.*?$", re.DOTALL | re.MULTILINE)
_WORDS = re.compile(r"""\bt\(\s*[`"'](\w+)\.""")


def components(entries: list[str]) -> list[Path]:
    """The components that ``entries`` are made of, and they themselves, in order of their names."""
    found: set[Path] = set()
    waiting = [SOURCE / entry for entry in entries]
    while waiting:
        file = waiting.pop()
        if file in found:
            continue
        found.add(file)
        for target in _IMPORT.findall(file.read_text()):
            base = SOURCE / target[2:] if target.startswith("@/") else (file.parent / target).resolve()
            if (component := base.with_suffix(".tsx")).exists():
                waiting.append(component)
    return sorted(found)


def drawn_by(entries: list[str]) -> str:
    """A hash of the components, styles and words of a view; comments and blank space do not count."""
    texts = [_COMMENT.sub("", file.read_text()) for file in components(entries)]
    words = json.loads((SOURCE / "wording" / "en.json").read_text())
    used = sorted({name for text in texts for name in _WORDS.findall(text)})
    texts += [(SOURCE / "styles.css").read_text(), json.dumps({name: words.get(name) for name in used})]
    return hashlib.sha256("".join("".join(text.split()) for text in texts).encode()).hexdigest()[:16]


def record(names: list[str]) -> None:
    """Write down what the pictures ``names`` were drawn by just now."""
    known = json.loads(RECORD.read_text()) if RECORD.exists() else {}
    known |= {name: drawn_by(VIEWS[name]) for name in names}
    RECORD.write_text(json.dumps(known, indent=2, sort_keys=True) + "\n")


def main() -> int:
    known = json.loads(RECORD.read_text()) if RECORD.exists() else {}
    old = [name for name, entries in VIEWS.items() if known.get(name) != drawn_by(entries)]
    missing = [name for name in VIEWS if not (PICTURES / f"{name}.png").exists()]
    if old or missing:
        print(
            f"Pictures older than their views: {' '.join(dict.fromkeys(old + missing))}. With ./start running, make them anew: "
            f".venv/bin/python tools/screenshots.py {' '.join(dict.fromkeys(old + missing))}",
            file=sys.stderr,
        )
    return 1 if old or missing else 0


if __name__ == "__main__":
    sys.exit(main())
