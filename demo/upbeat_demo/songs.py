"""The songs of the demo, as data. All titles, names and tunes are invented here."""

from __future__ import annotations

from dataclasses import dataclass, field


@dataclass(frozen=True)
class Part:
    """A section: chords bar by bar (repeated to its length), how full it is, what is silent, its ending."""

    name: str
    bars: int
    chords: str
    energy: float
    without: tuple[str, ...] = ()
    ending: tuple[str, int] = ("attacca", 1)


@dataclass(frozen=True)
class DemoSong:
    title: str
    key: str
    tempo: tuple[dict, ...]
    meters: tuple[dict, ...]
    parts: tuple[Part, ...]
    stems: tuple[str, ...] = ("drums", "shakers", "bass", "pads", "choir", "bells", "guide", "mix")
    bar1_s: str = "1"
    pickup: str = "0"
    swing: float = 0.5
    level_db: float = 0.0
    fade_stem: str = ""
    transpose: int = 0
    forms: dict[str, tuple[tuple[str, str, int], ...]] = field(default_factory=dict)
    # Stem, section and what the stem does there.
    cells: tuple[tuple[str, str, dict], ...] = ()
    # Bar, counted beat and what is said there.
    cues: tuple[tuple[int, int, str], ...] = ()


def _one(bpm: str, meter: str = "4/4", unit: str = "1", grouping: tuple[int, ...] = ()) -> dict:
    meters: dict = {"bar": 1, "meter": meter}
    if grouping:
        meters["grouping"] = list(grouping)
    return {"tempo": ({"bar": 1, "bpm": bpm, **({"unit": unit} if unit != "1" else {})},), "meters": (meters,)}


SONGS = (
    DemoSong(
        "Lamplighter’s Orbit",
        "D",
        **_one("112"),
        parts=(
            Part("Lamps in", 4, "D D G A", 0.35, ("choir",)),
            Part("Verse", 8, "D G D A Bm G D A", 0.55, ("choir",)),
            Part("Lift", 4, "Em G A A", 0.7),
            Part("Chorus", 8, "G D A Bm G D A A", 0.95),
            Part("Verse two", 8, "D G D A Bm G D A", 0.6, ("choir",)),
            Part("Chorus two", 8, "G D A Bm G D A A", 1.0),
            Part("Telescope", 8, "Bm G Em A Bm G Em A", 0.65, ("bells",)),
            Part("Last chorus", 8, "G D A Bm G D A A", 1.0),
            Part("Lamps out", 6, "D G D G D D", 0.4, ("choir",)),
        ),
        forms={
            "Short": (
                *((name, "attacca", 1) for name in ("Lamps in", "Verse", "Lift", "Chorus", "Last chorus")),
                ("Lamps out", "fine", 1),
            )
        },
    ),
    DemoSong(
        "Tin Moon Waltz",
        "G minor",
        **_one("138", "3/4"),
        pickup="1",
        bar1_s="1.2",
        stems=("drums", "bass", "harp", "pads", "bells", "guide", "mix"),
        parts=(
            Part("Pick it up", 8, "Gm Gm Cm D Gm Gm Cm D", 0.4, ("bells",)),
            Part("Tune", 16, "Gm Gm Cm Cm D D Gm Gm Gm Gm Cm Cm D D7 Gm Gm", 0.6),
            Part("Turn", 16, "Bb Bb F F Cm Cm D D Bb Bb F F Cm D Gm Gm", 0.75),
            Part("Tune again", 16, "Gm Gm Cm Cm D D Gm Gm Gm Gm Cm Cm D D7 Gm Gm", 0.85),
            Part("Spin", 16, "Eb Eb Bb Bb F F Gm Gm Eb Eb Bb Bb D D D D", 1.0),
            Part("Home", 16, "Gm Gm Cm Cm D D Gm Gm Cm Cm Gm Gm D D7 Gm Gm", 0.7),
        ),
    ),
    DemoSong(
        "Perihelion Parade",
        "E minor",
        tempo=({"bar": 1, "bpm": "126.5"},),
        meters=(
            {"bar": 1, "meter": "4/4"},
            {"bar": 41, "meter": "7/8", "grouping": [2, 2, 3]},
            {"bar": 49, "meter": "4/4"},
        ),
        stems=("drums", "shakers", "bass", "organ", "choir", "guide", "mix"),
        parts=(
            Part("Lanterns in", 8, "Em C G D", 0.35, ("choir",)),
            Part("Verse", 16, "Em C G D Em C Am B", 0.6, ("choir",)),
            Part("Lift", 4, "Am C D D", 0.75),
            Part("Chorus", 12, "G D Em C G D Em C C D C D", 1.0),
            Part("Parade break", 8, "Em Em F Em Em Em F B", 0.85, (), ("vamp", 1)),
            Part("Solo", 8, "Em C G D Em C G B", 0.8, ("choir",), ("repeat", 2)),
            Part("Verse three", 8, "Em C G D Em C Am B", 0.6, ("choir",)),
            Part("Last chorus", 12, "G D Em C G D Em C C D C D", 1.0),
            Part("Lanterns out", 6, "Em C G D Em Em", 0.4, ("choir",)),
        ),
        cues=((5, 1, "shakers in"), (8, 2, "all up"), (26, 1, "organ up")),
        cells=(
            ("Organ", "Chorus", {"level_db": 1.5}),
            ("Shakers, gongs", "Verse", {"level_db": -2}),
            ("Choir", "Lift", {"fade_beats": 4}),
            ("Choir", "Solo", {"level_db": 1}),
            ("Shakers, gongs", "Solo", {"tacet": True}),
            ("Organ", "Parade break", {"tacet": True}),
            ("Drums", "Lanterns in", {"tacet": True}),
            ("Bass", "Lanterns in", {"tacet": True}),
        ),
    ),
    DemoSong(
        "Night Ferry",
        "B♭",
        transpose=2,
        tempo=tuple(
            {"bar": b, "bpm": bpm, "unit": "3/2"}
            for b, bpm in ((1, "64"), (9, "64.6"), (17, "63.5"), (25, "64.4"), (33, "63.8"), (41, "64.2"))
        ),
        meters=({"bar": 1, "meter": "6/8", "grouping": [3, 3]},),
        stems=("drums", "harp", "pads", "choir", "guide", "mix"),
        parts=(
            Part("Quay", 8, "Bb Gm Eb F", 0.4, ("choir",)),
            Part("Verse", 16, "Bb Bb Gm Gm Eb Eb F F", 0.6),
            Part("Water", 16, "Eb F Bb Gm Eb F Bb Bb", 0.9),
            Part("Verse two", 16, "Bb Bb Gm Gm Eb Eb F F", 0.65),
            Part("Landing", 8, "Eb F Bb Bb", 0.5),
        ),
    ),
    DemoSong(
        "Paper Comets",
        "F",
        tempo=({"bar": 1, "bpm": "74.25"}, {"bar": 37, "bpm": "74.25", "ramp": True}, {"bar": 41, "bpm": "56"}),
        meters=({"bar": 1, "meter": "4/4"},),
        stems=("drums", "bass", "pads", "choir", "bells", "guide", "mix"),
        level_db=-2.0,
        fade_stem="pads",
        parts=(
            Part("Fold", 4, "F Dm Bb C", 0.3, ("choir", "drums")),
            Part("Verse", 12, "F Dm Bb C", 0.5, ("choir",)),
            Part("Chorus", 8, "Bb C Dm F Bb C F F", 0.85),
            Part("Verse two", 8, "F Dm Bb C", 0.5),
            Part("Far away", 9, "Bb C Dm F Bb C Dm Bb F", 0.6),
        ),
    ),
    DemoSong(
        "Gravity Hop",
        "A minor",
        **_one("168"),
        swing=0.64,
        stems=("drums", "bass", "organ", "bells", "guide", "mix"),
        parts=(
            Part("Count off", 4, "Am Am Am E7", 0.5),
            Part("Head", 16, "Am Am Dm Am E7 E7 Am Am Am Am Dm Am E7 E7 Am E7", 0.8, (), ("repeat", 2)),
            Part("Bridge", 8, "Dm Dm Am Am F F E7 E7", 0.7),
            Part("Solos", 16, "Am Am Dm Am E7 E7 Am Am", 0.9),
            Part("Extra", 8, "Dm Am E7 Am", 0.7, (), ("cut", 1)),
            Part("Head out", 16, "Am Am Dm Am E7 E7 Am Am Am Am Dm Am E7 E7 Am Am", 1.0),
        ),
    ),
    DemoSong(
        "Curtain of Stars",
        "",
        **_one("96"),
        stems=(),
        parts=(Part("Overture", 16, "N", 0), Part("Dome opens", 16, "N", 0), Part("Walk-off", 16, "N", 0)),
    ),
)
