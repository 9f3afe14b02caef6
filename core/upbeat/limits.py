"""Ranges and limits of everything a person can set: each said once.

The core checks by them, the show document's JSON Schema and the API's document carry them, and the
pages read them (``web/src/generated/core.ts``).
"""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Range:
    """Numbers from ``low`` to ``high``, both included."""

    low: float
    high: float

    def __contains__(self, value: object) -> bool:
        return isinstance(value, int | float) and self.low <= value <= self.high

    def __str__(self) -> str:
        return f"{self.low:g} to {self.high:g}"

    @property
    def json_schema(self) -> dict[str, float]:
        """``minimum`` and ``maximum``, as integers where they are whole."""
        return {"minimum": _whole(self.low), "maximum": _whole(self.high)}


def _whole(value: float) -> float:
    return int(value) if value == int(value) else value


# Songs
BARS = Range(1, 20_000)
SONG_S = Range(1, 10_800)
SECTIONS = Range(1, 1000)
FORMS, STEPS = Range(0, 50), Range(1, 2000)
COLOURS = Range(1, 6)
REPEATS = Range(2, 99)
LEAD_BARS = Range(1, 8)  # bars that a call begins before its section
COUNT_IN_BARS = Range(0, 8)
CROSSFADE_MS = Range(0, 80)  # rule J3
RING_ON_S = Range(0, 2)  # rule J3
BAR1_S = Range(-60, 3600)
PIN_S = Range(-60, 10_800)
TEMPO_FACTOR = Range(0.1, 10)
TRANSPOSE = Range(-11, 11)  # semitones
KEY_SEMITONES, TEMPO_PERCENT = Range(-6, 6), Range(50, 150)  # rule V1
SONG_GAIN_DB = Range(-40, 20)
EDGE_START_S, EDGE_FADE_S, HOLD_S = Range(-60, 10_800), Range(0, 120), Range(0, 30)
CUES = Range(0, 2000)

# Stems
STEM_GAIN_DB, STEM_PAN, STEM_WIDTH = Range(-120, 40), Range(-1, 1), Range(0, 2)
STEM_DELAY_MS = Range(-10_000, 10_000)
STEM_TIME_S, STEM_FADE_S = Range(0, 10_800), Range(0, 600)
CELL_LEVEL_DB, CELL_FADE_BEATS = Range(-40, 20), Range(0, 64)
CELLS = Range(0, 20_000)  # in one edit

# Click and voice
DIVISIONS = Range(1, 4)
CLICK_GAIN_DB, CLICK_LEVEL_DB, CLICK_PITCH = Range(-120, 20), Range(-60, 12), Range(-24, 24)
VOICE_SPEED, VOICE_PITCH, WORD_SHIFT_MS = Range(0.6, 1.6), Range(-12, 12), Range(-100, 100)

PALETTE = Range(0, 24)  # words that are said on the spot

# Layers (rule V3)
LAYER_BARS, LAYER_BPM, LAYER_SEMITONES = Range(1, 64), Range(30, 300), Range(-6, 6)
LAYERS, LOOPS, LOOP_S, STACKS = Range(0, 24), Range(0, 500), Range(0.2, 60), Range(0, 100)

PAD_S = Range(1, 60)  # of a pad stem; of a longer one its first minute goes round
HAND_SOUNDS, HAND_SOUND_S, HAND_SOUND_GAIN_DB = Range(0, 200), Range(0.01, 120), Range(-60, 20)

# Setlists
KEPT_STATES = Range(0, 50)  # of one setlist
ENTRIES = Range(0, 500)
SLOT_MINUTES, INTERVAL_MINUTES, LINK_S = Range(1, 1440), Range(0, 240), Range(0, 3600)
TARGET_LUFS = Range(-36, -8)

# Messages
DEVICES, SONG_MESSAGES = Range(0, 64), Range(0, 2000)
SCREEN_STILLS, SCREEN_AT_S = Range(0, 200), Range(-3600, 3600 * 12)  # rule B4
SCREEN_FILES = Range(0, 500)
FILM_BYTES, STILL_BYTES = 2 << 30, 20 << 20
DEVICE_LEAD_MS, MESSAGE_BEATS = Range(-500, 500), Range(0.01, 4096)  # rule S2

# Presses
PRESSES_A_SECOND = 60  # of one person, port or program; of all together twice as many
PRESSES_AT_ONCE, AT_ONCE_S = 15, 0.25  # of one within so many seconds; of all together twice as many
BOUNCE_MS = 60  # two hits of one press so soon are one
STEP_BY_HAND_DB = 1.5  # of a button that makes something louder or softer
HOLD_MS = 500  # what has to be held is held for so long
PAD_PAGES, BINDINGS = Range(1, 8), Range(0, 500)  # of a port's pads; of a band
HAND_DB, HAND_BEATS, HAND_PARTS = Range(-60, 12), Range(0, 32), Range(0, 256)
FADE_AWAY_S, MORE_ROUNDS, HAND_ENDINGS = Range(0.1, 30), Range(1, 16), Range(0, 32)

# Line check: in dBFS, where a full sine has 0 (AES17); seconds at each socket
LINE_CHECK_DB, LINE_CHECK_BEGINS_DB, LINE_CHECK_S = Range(-60, -12), -30.0, Range(1, 60)

# Outputs
SOCKETS, FEED_CHANNELS = Range(1, 64), Range(1, 2)
PAIR = Range(0, 64)  # 0: as usual
INTERFACE_BLOCKS = (64, 128, 256, 512, 1024)  # frames that an interface asks for at a time
BUFFER_BLOCKS, BUFFER_FRAMES = Range(2, 64), 256  # blocks that wait for it, and the frames of one
CEILING_DB = Range(-20, 0)  # dBTP
LOW_CUT_HZ, HIGH_CUT_HZ, MID_HZ, TONE_DB = (
    Range(20, 400),
    Range(400, 20_000),
    Range(100, 4000),
    Range(-12, 12),
)  # rule M8
GATE_DB, GATE_RELEASE_MS, DRIVE_DB = Range(-70, -10), Range(20, 1000), Range(1, 36)
ECHO_REPEATS, ECHO_DB, ECHO_FALL_DB, ECHO_S = Range(1, 8), Range(-40, 0), Range(0, 20), Range(0, 8)
SWEEP_PERCENT = Range(0, 100)
FEED_GAIN_DB, PATCH_DELAY_MS = Range(-120, 20), Range(0, 1000)
CABLE_M = Range(0, 500)

# Lengths of texts, in characters
TITLE, KEY, METER, NAME, STEM_NAME, LABEL, SOCKET_TEXT = 120, 20, 80, 80, 120, 120, 40
WORDS, NOTE, CUE, CHORDS, REASON, ENTRY_NOTE, DESK_NOTE = 20_000, 4_000, 80, 200, 200, 200, 600


def ranges() -> dict[str, Range]:
    """Every range by name."""
    return {name: value for name, value in globals().items() if isinstance(value, Range)}


def lengths() -> dict[str, int]:
    """The greatest length of every text by name."""
    return {name: value for name, value in globals().items() if name.isupper() and isinstance(value, int)}
