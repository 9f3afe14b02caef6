// Made by tools/api from the core: do not edit.
/** Least and greatest of everything a person can set. */
export const RANGES = { BARS: { min: 1, max: 20000 }, SONG_S: { min: 1, max: 10800 }, SECTIONS: { min: 1, max: 1000 }, FORMS: { min: 0, max: 50 }, STEPS: { min: 1, max: 2000 }, COLOURS: { min: 1, max: 6 }, REPEATS: { min: 2, max: 99 }, LEAD_BARS: { min: 1, max: 8 }, COUNT_IN_BARS: { min: 0, max: 8 }, CROSSFADE_MS: { min: 0, max: 80 }, RING_ON_S: { min: 0, max: 2 }, BAR1_S: { min: -60, max: 3600 }, PIN_S: { min: -60, max: 10800 }, TEMPO_FACTOR: { min: 0.1, max: 10 }, TRANSPOSE: { min: -11, max: 11 }, KEY_SEMITONES: { min: -6, max: 6 }, TEMPO_PERCENT: { min: 50, max: 150 }, SONG_GAIN_DB: { min: -40, max: 20 }, EDGE_START_S: { min: -60, max: 10800 }, EDGE_FADE_S: { min: 0, max: 120 }, HOLD_S: { min: 0, max: 30 }, CUES: { min: 0, max: 2000 }, STEM_GAIN_DB: { min: -120, max: 40 }, STEM_PAN: { min: -1, max: 1 }, STEM_WIDTH: { min: 0, max: 2 }, STEM_DELAY_MS: { min: -10000, max: 10000 }, STEM_TIME_S: { min: 0, max: 10800 }, STEM_FADE_S: { min: 0, max: 600 }, CELL_LEVEL_DB: { min: -40, max: 20 }, CELL_FADE_BEATS: { min: 0, max: 64 }, CELLS: { min: 0, max: 20000 }, DIVISIONS: { min: 1, max: 4 }, CLICK_GAIN_DB: { min: -120, max: 20 }, CLICK_LEVEL_DB: { min: -60, max: 12 }, CLICK_PITCH: { min: -24, max: 24 }, VOICE_SPEED: { min: 0.6, max: 1.6 }, VOICE_PITCH: { min: -12, max: 12 }, WORD_SHIFT_MS: { min: -100, max: 100 }, PALETTE: { min: 0, max: 24 }, PAD_S: { min: 1, max: 60 }, HAND_SOUNDS: { min: 0, max: 200 }, HAND_SOUND_S: { min: 0.01, max: 120 }, HAND_SOUND_GAIN_DB: { min: -60, max: 20 }, KEPT_STATES: { min: 0, max: 50 }, ENTRIES: { min: 0, max: 500 }, SLOT_MINUTES: { min: 1, max: 1440 }, INTERVAL_MINUTES: { min: 0, max: 240 }, LINK_S: { min: 0, max: 3600 }, TARGET_LUFS: { min: -36, max: -8 }, DEVICES: { min: 0, max: 64 }, SONG_MESSAGES: { min: 0, max: 2000 }, SCREEN_STILLS: { min: 0, max: 200 }, SCREEN_AT_S: { min: -3600, max: 43200 }, SCREEN_FILES: { min: 0, max: 500 }, DEVICE_LEAD_MS: { min: -500, max: 500 }, MESSAGE_BEATS: { min: 0.01, max: 4096 }, PAD_PAGES: { min: 1, max: 8 }, BINDINGS: { min: 0, max: 500 }, HAND_DB: { min: -60, max: 12 }, HAND_BEATS: { min: 0, max: 32 }, HAND_PARTS: { min: 0, max: 256 }, FADE_AWAY_S: { min: 0.1, max: 30 }, MORE_ROUNDS: { min: 1, max: 16 }, HAND_ENDINGS: { min: 0, max: 32 }, LINE_CHECK_DB: { min: -60, max: -12 }, LINE_CHECK_S: { min: 1, max: 60 }, SOCKETS: { min: 1, max: 64 }, FEED_CHANNELS: { min: 1, max: 2 }, PAIR: { min: 0, max: 64 }, BUFFER_BLOCKS: { min: 2, max: 64 }, FEED_GAIN_DB: { min: -120, max: 20 }, PATCH_DELAY_MS: { min: 0, max: 1000 }, CABLE_M: { min: 0, max: 500 } } as const;
/** Most characters of texts. */
export const LENGTHS = { FILM_BYTES: 2147483648, STILL_BYTES: 20971520, PRESSES_A_SECOND: 60, BOUNCE_MS: 60, HOLD_MS: 500, BUFFER_FRAMES: 256, TITLE: 120, KEY: 20, METER: 80, NAME: 80, STEM_NAME: 120, LABEL: 120, SOCKET_TEXT: 40, WORDS: 20000, NOTE: 4000, CUE: 80, CHORDS: 200, REASON: 200, ENTRY_NOTE: 200, DESK_NOTE: 600 } as const;
export const BANKS = ["sections", "songs", "palette", "sounds", "stems"] as const;
export const ENCODINGS = ["absolute", "fine", "signed", "offset"] as const;
export const HAND_STARTERS = ["nine_pads", "four_pedals", "two_pedals", "two_keys", "eight_faders"] as const;
export const HOLDING = ["program", "controller"] as const;
export const HELD = ["begin_again", "fade_away", "stop"] as const;
export const LIGHTS = ["off", "ready", "playing", "next", "asked", "on"] as const;
export const GROUPS = ["rhythm", "tonal", "voices", "effects", "click", "cues", "timecode", "full_mix"] as const;
export const PHONES = ["none", "separate", "mirrored"] as const;
export const SHAPES = [2, 4, 6, 8, 10, 14, 16, 18, 32] as const;
export const STARTERS = ["stereo", "rhythm_tonal", "groups", "mixes"] as const;
export const PURPOSES = ["always", "covers", "rehearsal", "full_mix", "pad"] as const;
export const RIGHTS = ["nothing", "own_mix", "sections", "everything"] as const;
export const ENDINGS = ["attacca", "repeat", "vamp", "fine", "cut"] as const;
export const PADS = ["", "song", "warm", "open", "low"] as const;
export const WHENS = ["at_once", "next_bar", "in_2_bars", "in_4_bars", "section_end"] as const;
export const LOUDNESS_STEP_LU = 4;
export const BOUNCE_MS = 60;
export const STEP_BY_HAND_DB = 1.5;
export const PAGE_KEYS = "Keys of a page";
export const HOLD_MS = 500;
