"""The songs of the demo, as data. All titles, names and tunes are invented here."""

from __future__ import annotations

from dataclasses import dataclass, field

from upbeat_demo.devices import DESK, FILM, KEYBOARD


@dataclass(frozen=True, kw_only=True)
class Part:
    """A section: chords bar by bar (repeated to its length), how full it is, what is silent, its ending, its words."""

    name: str
    bars: int
    chords: str
    energy: float
    without: tuple[str, ...] = ()
    ending: tuple[str, int] = ("attacca", 1)
    words: str = ""


Place = str | tuple[int, int]


@dataclass(frozen=True, kw_only=True)
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
    # Device, place (start, a section's name, or bar and beat), what is sent by its name there or as it is, and in which pass.
    messages: tuple[tuple[str, Place, str | dict, int | str | None], ...] = ()
    # Stem, the sections (none: all), and what its tone and echo there are for.
    treatments: tuple[tuple[str, tuple[str, ...], str], ...] = ()
    # Loop of the shelf, the sections that it sounds in (none: all), and its level.
    layers: tuple[tuple[str, tuple[str, ...], float], ...] = ()
    # The name under which its layers are kept as a stack.
    stack: str = ""
    # Layers wait until they are brought in by hand.
    waits: bool = False


def _one(bpm: str, meter: str = "4/4", unit: str = "1", grouping: tuple[int, ...] = ()) -> dict:
    meters: dict = {"bar": 1, "meter": meter}
    if grouping:
        meters["grouping"] = list(grouping)
    return {"tempo": ({"bar": 1, "bpm": bpm, **({"unit": unit} if unit != "1" else {})},), "meters": (meters,)}


SONGS = (
    DemoSong(
        title="Lamplighter’s Orbit",
        key="D",
        **_one("112"),
        parts=(
            Part(name="Lamps in", bars=4, chords="D D G A", energy=0.35, without=("choir",)),
            Part(name="Verse", bars=8, chords="D G D A Bm G D A", energy=0.55, without=("choir",)),
            Part(name="Lift", bars=4, chords="Em G A A", energy=0.7),
            Part(name="Chorus", bars=8, chords="G D A Bm G D A A", energy=0.95),
            Part(name="Verse two", bars=8, chords="D G D A Bm G D A", energy=0.6, without=("choir",)),
            Part(name="Chorus two", bars=8, chords="G D A Bm G D A A", energy=1.0),
            Part(name="Telescope", bars=8, chords="Bm G Em A Bm G Em A", energy=0.65, without=("bells",)),
            Part(name="Last chorus", bars=8, chords="G D A Bm G D A A", energy=1.0),
            Part(name="Lamps out", bars=6, chords="D G D G D D", energy=0.4, without=("choir",)),
        ),
        forms={
            "Short": (
                *((name, "attacca", 1) for name in ("Lamps in", "Verse", "Lift", "Chorus", "Last chorus")),
                ("Lamps out", "fine", 1),
            )
        },
        treatments=(("Bells", (), "echoes"), ("Glass pads", ("Telescope",), "under_water")),
        layers=(
            ("tambourine-16", ("Chorus", "Chorus two", "Last chorus"), -14),
            ("clap-back", ("Chorus two", "Last chorus"), -10),
            ("hey-one", ("Last chorus",), -12),
        ),
        stack="Choruses lifted",
    ),
    DemoSong(
        title="Tin Moon Waltz",
        key="G minor",
        **_one("138", "3/4"),
        pickup="1",
        bar1_s="1.2",
        stems=("drums", "bass", "harp", "pads", "bells", "guide", "mix"),
        parts=(
            Part(name="Pick it up", bars=8, chords="Gm Gm Cm D Gm Gm Cm D", energy=0.4, without=("bells",)),
            Part(name="Tune", bars=16, chords="Gm Gm Cm Cm D D Gm Gm Gm Gm Cm Cm D D7 Gm Gm", energy=0.6),
            Part(name="Turn", bars=16, chords="Bb Bb F F Cm Cm D D Bb Bb F F Cm D Gm Gm", energy=0.75),
            Part(name="Tune again", bars=16, chords="Gm Gm Cm Cm D D Gm Gm Gm Gm Cm Cm D D7 Gm Gm", energy=0.85),
            Part(name="Spin", bars=16, chords="Eb Eb Bb Bb F F Gm Gm Eb Eb Bb Bb D D D D", energy=1.0),
            Part(name="Home", bars=16, chords="Gm Gm Cm Cm D D Gm Gm Cm Cm Gm Gm D D7 Gm Gm", energy=0.7),
        ),
        layers=(("shaker-3", ("Tune again", "Spin"), -16), ("clap-3", ("Spin",), -12)),
        stack="Waltz at the fair",
    ),
    DemoSong(
        title="Perihelion Parade",
        key="E minor",
        tempo=({"bar": 1, "bpm": "126.5"},),
        meters=(
            {"bar": 1, "meter": "4/4"},
            {"bar": 41, "meter": "7/8", "grouping": [2, 2, 3]},
            {"bar": 49, "meter": "4/4"},
        ),
        stems=("drums", "shakers", "bass", "organ", "choir", "guide", "mix"),
        parts=(
            Part(name="Lanterns in", bars=8, chords="Em C G D", energy=0.35, without=("choir",)),
            Part(
                name="Verse",
                bars=16,
                chords="Em C G D Em C Am B",
                energy=0.6,
                without=("choir",),
                words="\n".join(
                    (
                        "[Em]Tin horns under the window, [C]paper moons on a string,",
                        "[G]somebody’s carried the river [D]home in a copper ring.",
                        "[Em]Hand me the long brass ladder, [C]hold it against the night:",
                        "[Am]we have a planet to polish [B]and to be back by light.",
                    )
                ),
            ),
            Part(
                name="Lift", bars=4, chords="Am C D D", energy=0.75, words="Oh, nearer, nearer,\nthe nearest that we go"
            ),
            Part(
                name="Chorus",
                bars=12,
                chords="G D Em C G D Em C C D C D",
                energy=1.0,
                words="[G]Round we go, [D]round we go,\n[Em]lanterns high and [C]slippers low,\n[G]closest to the sun we know:\n[C]perihelion pa[D]rade.",
            ),
            Part(
                name="Parade break", bars=8, chords="Em Em F Em Em Em F B", energy=0.85, without=(), ending=("vamp", 1)
            ),
            Part(name="Solo", bars=8, chords="Em C G D Em C G B", energy=0.8, without=("choir",), ending=("repeat", 2)),
            Part(name="Verse three", bars=8, chords="Em C G D Em C Am B", energy=0.6, without=("choir",)),
            Part(
                name="Last chorus",
                bars=12,
                chords="G D Em C G D Em C C D C D",
                energy=1.0,
                words="[G]Round we go, [D]round we go,\n[Em]lanterns high and [C]slippers low,\n[G]closest to the sun we know:\n[C]perihelion pa[D]rade.",
            ),
            Part(name="Lanterns out", bars=6, chords="Em C G D Em Em", energy=0.4, without=("choir",)),
        ),
        cues=((5, 1, "shakers in"), (8, 2, "all up"), (26, 1, "organ up")),
        messages=(
            (KEYBOARD, "start", "glass", None),
            (DESK, "start", "dark", None),
            (FILM, "start", {"kind": "osc", "address": "/film/play", "args": ["parade"]}, None),
            (DESK, (5, 1), "stars", None),
            (DESK, "Verse", "warm", None),
            (KEYBOARD, "Lift", {"kind": "controller", "controller": 11, "value": 110, "over_beats": 8.0}, None),
            (DESK, "Chorus", "stars", None),
            (KEYBOARD, "Parade break", "pipes", None),
            (DESK, "Parade break", "strobe", None),
            (DESK, (45, 1), "dark", "last"),
            (KEYBOARD, "Solo", "glass", None),
            (DESK, "Solo", "solo", None),
            (DESK, (50, 3), "stars", 2),
            (DESK, "Verse three", "warm", None),
            (DESK, "Last chorus", "strobe", None),
            (DESK, "Lanterns out", "dark", None),
            (FILM, "end", {"kind": "osc", "address": "/film/stop", "args": []}, None),
        ),
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
        title="Night Ferry",
        key="B♭",
        transpose=2,
        tempo=tuple(
            {"bar": b, "bpm": bpm, "unit": "3/2"}
            for b, bpm in ((1, "64"), (9, "64.6"), (17, "63.5"), (25, "64.4"), (33, "63.8"), (41, "64.2"))
        ),
        meters=({"bar": 1, "meter": "6/8", "grouping": [3, 3]},),
        stems=("drums", "harp", "pads", "choir", "guide", "mix"),
        parts=(
            Part(name="Quay", bars=8, chords="Bb Gm Eb F", energy=0.4, without=("choir",)),
            Part(name="Verse", bars=16, chords="Bb Bb Gm Gm Eb Eb F F", energy=0.6),
            Part(name="Water", bars=16, chords="Eb F Bb Gm Eb F Bb Bb", energy=0.9),
            Part(name="Verse two", bars=16, chords="Bb Bb Gm Gm Eb Eb F F", energy=0.65),
            Part(name="Landing", bars=8, chords="Eb F Bb Bb", energy=0.5),
        ),
        messages=(
            (KEYBOARD, "start", "ferry", None),
            (DESK, "start", "dark", None),
            (KEYBOARD, "Water", "water", None),
            (DESK, "Water", "stars", None),
            (KEYBOARD, "Verse two", "ferry", None),
            (DESK, "Verse two", "warm", None),
            (DESK, "Landing", "dark", None),
        ),
    ),
    DemoSong(
        title="Paper Comets",
        key="F",
        tempo=({"bar": 1, "bpm": "74.25"}, {"bar": 37, "bpm": "74.25", "ramp": True}, {"bar": 41, "bpm": "56"}),
        meters=({"bar": 1, "meter": "4/4"},),
        stems=("drums", "bass", "pads", "choir", "bells", "guide", "mix"),
        level_db=-2.0,
        fade_stem="pads",
        parts=(
            Part(name="Fold", bars=4, chords="F Dm Bb C", energy=0.3, without=("choir", "drums")),
            Part(name="Verse", bars=12, chords="F Dm Bb C", energy=0.5, without=("choir",)),
            Part(name="Chorus", bars=8, chords="Bb C Dm F Bb C F F", energy=0.85),
            Part(name="Verse two", bars=8, chords="F Dm Bb C", energy=0.5),
            Part(name="Far away", bars=9, chords="Bb C Dm F Bb C Dm Bb F", energy=0.6),
        ),
    ),
    DemoSong(
        title="Gravity Hop",
        key="A minor",
        **_one("168"),
        swing=0.64,
        stems=("drums", "bass", "organ", "bells", "guide", "mix"),
        parts=(
            Part(name="Count off", bars=4, chords="Am Am Am E7", energy=0.5),
            Part(
                name="Head",
                bars=16,
                chords="Am Am Dm Am E7 E7 Am Am Am Am Dm Am E7 E7 Am E7",
                energy=0.8,
                without=(),
                ending=("repeat", 2),
            ),
            Part(name="Bridge", bars=8, chords="Dm Dm Am Am F F E7 E7", energy=0.7),
            Part(name="Solos", bars=16, chords="Am Am Dm Am E7 E7 Am Am", energy=0.9),
            Part(name="Extra", bars=8, chords="Dm Am E7 Am", energy=0.7, without=(), ending=("cut", 1)),
            Part(name="Head out", bars=16, chords="Am Am Dm Am E7 E7 Am Am Am Am Dm Am E7 E7 Am Am", energy=1.0),
        ),
    ),
    DemoSong(
        title="Curtain of Stars",
        key="",
        **_one("96"),
        stems=(),
        parts=(
            Part(name="Overture", bars=16, chords="N", energy=0),
            Part(name="Dome opens", bars=16, chords="N", energy=0),
            Part(name="Walk-off", bars=16, chords="N", energy=0),
        ),
    ),
    DemoSong(
        title="Drift Garden",
        key="D",
        **_one("84"),
        stems=(),
        parts=(Part(name="Garden", bars=8, chords="N", energy=0, ending=("vamp", 1)),),
        layers=(
            ("low", (), -4),
            ("warm", (), -2),
            ("kick-heart", (), -6),
            ("shaker-8", (), -12),
            ("wood-two", (), -14),
            ("snap-back", (), -10),
            ("oh-two", (), -12),
        ),
        waits=True,
    ),
)
