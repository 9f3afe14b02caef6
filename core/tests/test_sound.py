"""What leaves the sockets, found in the rendered samples: rules J2, J3, C1, C3, M1, M3, M5, T3, T4."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from material import RATE, beat_frame, onsets, ramp_stem, ready, show, song, write_wav

from upbeat.audio.file_pcm import open_to_play
from upbeat.audio.pcm import full_scale
from upbeat.errors import Refused
from upbeat.mix.sources.stems import PIECE
from upbeat.mix.stem_audio import StemAudio, read_stem
from upbeat.play.advance import advance
from upbeat.play.presses import press
from upbeat.play.state import standing_by
from upbeat.show.bounce import TimedPress, play, read_presses, rehearse, render
from upbeat.song.stems import Stem

BAR = 2 * RATE  # 4/4 at 120


def bounced(ready_show, presses=None, entry=None):
    """(sockets, frames) and the events."""
    blocks = []
    events = play(ready_show, presses, blocks.append, entry)
    return np.concatenate(blocks, axis=1), events


def at(seconds, name, **args):
    return TimedPress(round(seconds * RATE), name, args)


def first_sound(events):
    return next(e["frame"] for e in events if e["kind"] == "bar")


@pytest.fixture
def ramped(tmp_path):
    """A song whose one stem tells its own frame; made on demand with changes."""
    write_wav(tmp_path / "ramp.wav", ramp_stem(9 * BAR))

    def make(**changes):
        stem = {"id": "r", "name": "Ramp", "file": "ramp.wav", "group": "rhythm", "pan": -1, **changes.pop("stem", {})}
        rest = changes.pop("show", {})
        return ready(show(song(stems=[stem], **changes), **rest), tmp_path)

    return make


def source_frames(sound):
    """The stem frame heard at every output frame, from its value."""
    return np.round(sound * np.float64(1 << 22)).astype(int) - 1


def test_t3_the_song_begins_where_bar_1_is(ramped):
    sound, events = bounced(ramped(bar1_s="0.25"))
    begin = first_sound(events)
    assert source_frames(sound[0])[begin] == RATE // 4


def test_t4_a_stem_may_have_its_own_delay(ramped):
    sound, events = bounced(ramped(stem={"delay_ms": 10}))
    begin = first_sound(events)
    assert source_frames(sound[0])[begin + RATE] == RATE - 480


def test_j2_a_jump_lands_on_the_frame_of_the_bar_line(ramped):
    # With no crossfade the seam is a clean cut, so that both sides are seen to the frame.
    sound, events = bounced(ramped(crossfade_ms=0), [at(0, "go"), at(1.2, "go_to", step=2, when="next_bar")])
    jump = next(e for e in events if e["kind"] == "jump")
    begin = first_sound(events)
    heard = source_frames(sound[0])
    assert jump["frame"] == begin + BAR
    assert heard[jump["frame"] - 1] == BAR - 1
    assert heard[jump["frame"]] == 6 * BAR
    downbeats = [e["frame"] for e in events if e["kind"] == "bar"]
    assert downbeats[1] - downbeats[0] == BAR


@settings(max_examples=30)
@given(
    press_s=st.floats(0.05, 5.5), step=st.integers(0, 2), when=st.sampled_from(["next_bar", "in_2_bars", "section_end"])
)
def test_j2_between_two_downbeats_lies_one_bar_whatever_is_pressed(tmp_path_factory, press_s, step, when):
    folder = tmp_path_factory.mktemp("j2")
    write_wav(folder / "ramp.wav", ramp_stem(9 * BAR))
    r = ready(show(song(stems=[{"id": "r", "name": "R", "file": "ramp.wav", "group": "rhythm"}])), folder)
    _, events = rehearse(r, [at(0, "go"), at(press_s, "go_to", step=step, when=when)])
    downbeats = [e["frame"] for e in events if e["kind"] == "bar"]
    assert set(np.diff(downbeats)) == {BAR}


def test_j3_a_seam_keeps_its_power_over_ten_milliseconds(tmp_path):
    rng = np.random.default_rng(1)
    write_wav(tmp_path / "n.wav", rng.standard_normal(9 * BAR).astype(np.float32) * 0.1)
    r = ready(show(song(stems=[{"id": "n", "name": "N", "file": "n.wav", "group": "rhythm", "pan": -1}])), tmp_path)
    sound, events = bounced(r, [at(0, "go"), at(1, "go_to", step=2, when="next_bar")])
    seam = next(e["frame"] for e in events if e["kind"] == "jump")
    inside, around = sound[0, seam - 240 : seam + 240], sound[0, seam - 4000 : seam - 1000]
    assert np.std(inside) == pytest.approx(np.std(around), rel=0.15)
    # Outside the 10 ms the stem is untouched.
    whole, _ = bounced(r, [at(0, "go")])
    assert np.array_equal(sound[0, : seam - 240], whole[0, : seam - 240])


def test_j3_ring_on_lets_the_old_side_sound_under_the_new(ramped):
    sound, events = bounced(
        ramped(ring_on_s=1.0, crossfade_ms=0), [at(0, "go"), at(1, "go_to", step=2, when="next_bar")]
    )
    seam = next(e["frame"] for e in events if e["kind"] == "jump")
    alone = ramp_stem(9 * BAR)[6 * BAR + 4800]
    assert sound[0, seam + 4800] > alone + ramp_stem(9 * BAR)[BAR] * 0.5
    assert sound[0, seam + RATE + 480] == pytest.approx(ramp_stem(9 * BAR)[6 * BAR + RATE + 480], abs=1e-6)


@pytest.mark.parametrize(
    "tempo",
    [
        [{"bar": 1, "bpm": "120"}],
        [{"bar": 1, "bpm": "93.37"}],
        [{"bar": 1, "bpm": "90", "ramp": True}, {"bar": 7, "bpm": "163.3"}],
    ],
)
def test_c1_every_beat_is_within_half_a_frame(tmp_path, tempo):
    r = ready(show(song(tempo=tempo)), tmp_path)
    sound, events = bounced(r)
    begin = first_sound(events)
    grid = r.plan.entries[0].song.grid
    exact = [begin + float(grid.seconds(grid.meters.position(1 + b // 4, 1 + b % 4)) * RATE) for b in range(32)]
    found = onsets(sound[2])
    assert len(found) == 32
    assert max(abs(f - e) for f, e in zip(found, exact, strict=True)) <= 0.5


def test_c1_the_click_goes_on_through_a_jump(tmp_path):
    sound, events = bounced(ready(show(song()), tmp_path), [at(0, "go"), at(2.6, "go_to", step=0, when="next_bar")])
    begin = first_sound(events)
    found = onsets(sound[2])
    assert found == [beat_frame(i, start=begin) for i in range(len(found))]
    assert len(found) == 8 + 32


def test_c1_an_uneven_bar_clicks_its_groups(tmp_path):
    r = ready(show(song(meters=[{"bar": 1, "meter": "7/8", "grouping": [2, 2, 3]}])), tmp_path)
    sound, events = bounced(r)
    eighths = [round((f - first_sound(events)) / (RATE / 4)) for f in onsets(sound[2])]
    assert eighths[:6] == [0, 2, 4, 7, 9, 11]


def test_c3_two_bars_of_count_in_at_the_tempo_that_comes(tmp_path):
    r = ready(show(song(tempo=[{"bar": 1, "bpm": "100"}], count_in={"bars": 2, "aloud": False})), tmp_path)
    sound, events = bounced(r)
    begin = first_sound(events)
    before = [f for f in onsets(sound[2]) if f < begin]
    assert before == [begin - beat_frame(k, "100") for k in range(8, 0, -1)]


def test_c3_a_pickup_sounds_under_the_count_in(tmp_path):
    write_wav(tmp_path / "ramp.wav", ramp_stem(9 * BAR))
    stem = {"id": "r", "name": "R", "file": "ramp.wav", "group": "rhythm", "pan": -1}
    r = ready(show(song(stems=[stem], bar1_s="1", pickup="1", count_in={"bars": 1, "aloud": False})), tmp_path)
    sound, events = bounced(r)
    begin = first_sound(events)
    heard = source_frames(sound[0])
    # The pickup is one quarter, half a second, before bar 1; before it is silence but for the ramp in.
    assert heard[begin - RATE // 4] == RATE - RATE // 4
    assert not sound[0, : begin - RATE // 2 - 480].any()


def test_c3_resume_counts_in_at_the_bar_where_it_stopped(ramped):
    r = ramped(count_in={"bars": 1, "aloud": False})
    sound, events = bounced(r, [at(0, "go"), at(7.1, "stop"), at(9, "resume")])
    stopped = next(e for e in events if e.get("press") == "stop")
    assert stopped["message"] == "Stopped at bar 3."
    again = next(e["frame"] for e in events if e["kind"] == "bar" and e["frame"] > 9 * RATE)
    assert source_frames(sound[0])[again + 1000] == 2 * BAR + 1000
    clicks = [f for f in onsets(sound[2]) if 9 * RATE < f < again]
    assert clicks == [again - beat_frame(k) for k in (4, 3, 2, 1)]


def test_m1_a_change_ramps_over_five_milliseconds(tmp_path):
    write_wav(tmp_path / "one.wav", np.full(9 * BAR, 0.5, np.float32))
    r = ready(
        show(song(stems=[{"id": "o", "name": "O", "file": "one.wav", "group": "rhythm", "pan": -1, "tacet": ["b"]}])),
        tmp_path,
    )
    sound, events = bounced(r)
    seam = first_sound(events) + 3 * BAR
    falling = sound[0, seam : seam + 240]
    assert falling[0] == pytest.approx(0.5 * 239 / 240, abs=1e-4)
    assert falling[-1] == 0
    assert np.abs(np.diff(sound[0, seam - 100 : seam + 400])).max() <= 0.5 / 240 + 1e-6


def test_m5_pulling_the_house_leaves_click_and_time(ramped):
    pulled, events = bounced(ramped(), [at(0, "go"), at(3, "pull_house"), at(7, "bring_back")])
    plain, _ = bounced(ramped(), [at(0, "go")])
    out, back = round(3.08 * RATE), 7 * RATE
    assert not pulled[:2, out:back].any()
    assert np.allclose(pulled[0, back + 960 : back + RATE], plain[0, back + 960 : back + RATE], atol=1e-6)
    same = min(pulled.shape[1], plain.shape[1])
    assert np.array_equal(pulled[2, :same], plain[2, :same])
    fall = pulled[0, 3 * RATE : out] / plain[0, 3 * RATE : out]
    assert np.allclose(fall, 1 - np.arange(1, len(fall) + 1) / len(fall), atol=1e-3)


@pytest.mark.parametrize(
    "spoil",
    [
        lambda d: d["feeds"][0]["sends"].append({"source": "click"}),
        lambda d: d["feeds"][0]["sends"].append({"source": "feed:cues"}),
        lambda d: d["patch"].append({"feed": "click", "side": "mono", "socket": 1}),
    ],
)
def test_m3_click_in_the_house_does_not_load(tmp_path, spoil):
    document = show(song())
    spoil(document)
    with pytest.raises(Refused, match=r"[Cc]lick|[Cc]ues"):
        ready(document, tmp_path)


def test_m3_the_house_of_a_played_show_has_no_click(tmp_path):
    sound, _ = bounced(ready(show(song(count_in={"bars": 2, "aloud": True}, calls=True)), tmp_path, speak=True))
    assert not sound[:2].any()
    assert sound[2].any()
    assert sound[3].any()


def test_m6_fallback_takes_over_at_the_same_place(tmp_path):
    write_wav(tmp_path / "ramp.wav", ramp_stem(9 * BAR))
    write_wav(tmp_path / "mix.wav", ramp_stem(9 * BAR) * 2)
    stems = [
        {"id": "r", "name": "R", "file": "ramp.wav", "group": "rhythm", "pan": -1},
        {"id": "m", "name": "M", "file": "mix.wav", "group": "full_mix", "purpose": "full_mix", "pan": -1},
    ]
    sound, events = bounced(ready(show(song(stems=stems)), tmp_path), [at(0, "go"), at(3, "fallback", on=True)])
    begin = first_sound(events)
    assert sound[0, 3 * RATE - 1] == pytest.approx(ramp_stem(9 * BAR)[3 * RATE - 1 - begin], abs=1e-6)
    assert sound[0, 4 * RATE] == pytest.approx(2 * ramp_stem(9 * BAR)[4 * RATE - begin], abs=1e-6)


def test_f3_a_vamp_goes_round_until_released(ramped):
    forms = [
        {
            "id": "f",
            "name": "F",
            "steps": [
                {"section": "a"},
                {"section": "b", "ending": {"kind": "vamp"}},
                {"section": "c", "ending": {"kind": "fine"}},
            ],
        }
    ]
    _, events = bounced(ramped(forms=forms), [at(0, "go"), at(14, "release")])
    bars = [e["bar"] for e in events if e["kind"] == "bar"]
    assert bars == [1, 2, 3, 4, 5, 6, 4, 5, 6, 7, 8]


def test_f3_repeat_and_cut(ramped):
    endings = {"a": {"kind": "repeat", "times": 2}, "b": {"kind": "cut"}, "c": {"kind": "fine"}}
    forms = [{"id": "f", "name": "F", "steps": [{"section": s, "ending": e} for s, e in endings.items()]}]
    _, events = bounced(ramped(forms=forms))
    assert [e["bar"] for e in events if e["kind"] == "bar"] == [1, 2, 3, 1, 2, 3, 7, 8]


def test_p2_attacca_puts_the_next_bar_1_where_the_last_ends(tmp_path):
    two = song(id="two", title="Kites")
    _, events = bounced(ready(show(song(), two, links=({"kind": "attacca"},)), tmp_path), [at(0, "go")])
    bars = [e for e in events if e["kind"] == "bar"]
    assert bars[8]["entry"] == 1
    assert bars[8]["frame"] - bars[0]["frame"] == 8 * BAR


def test_p1_go_is_guarded_and_stop_keeps_the_place(ramped):
    _, events = bounced(ramped(), [at(0, "go"), at(1, "go"), at(5, "stop"), at(6, "resume")])
    presses = [(e["press"], e["accepted"]) for e in events if e["kind"] == "press"]
    assert presses == [("go", True), ("go", False), ("stop", True), ("resume", True)]


def test_j4_a_new_press_replaces_the_old_and_can_be_taken_back(ramped):
    asked = [at(0, "go"), at(1, "go_to", step=2), at(1.1, "go_to", step=0), at(1.2, "take_back")]
    _, events = bounced(ramped(), asked)
    assert [e["bar"] for e in events if e["kind"] == "bar"] == [1, 2, 3, 4, 5, 6, 7, 8]


def test_rendering_may_begin_anywhere_and_is_the_same_sample_for_sample(tmp_path):
    rng = np.random.default_rng(3)
    write_wav(tmp_path / "n.wav", rng.standard_normal((9 * BAR, 2)).astype(np.float32) * 0.1)
    stems = [{"id": "n", "name": "N", "file": "n.wav", "group": "rhythm", "tacet": ["b"]}]
    document = show(song(stems=stems, count_in={"bars": 2, "aloud": True}, calls=True))
    document["patch"][2]["delay_ms"] = 900
    r = ready(document, tmp_path, speak=True)
    spans, _ = rehearse(r, [at(0, "go"), at(9, "go_to", step=0, when="next_bar")])
    whole: list[np.ndarray] = []
    render(r.renderer(), spans, whole.append)
    for first in (1, len(spans) // 2, len(spans) - 1):
        part: list[np.ndarray] = []
        render(r.renderer(), spans, part.append, first)
        assert np.array_equal(np.concatenate(part, axis=1), np.concatenate(whole[first:], axis=1))


@pytest.mark.parametrize(
    "raw",
    [
        {},
        [{"press": "go"}],
        [{"at_s": -1, "press": "go"}],
        [{"at_s": 1, "press": "dance"}],
        [{"at_s": "x", "press": "go"}],
    ],
)
def test_a_presses_file_that_is_none_gets_a_sentence(raw):
    with pytest.raises(Refused):
        read_presses(raw, RATE)


@settings(max_examples=60)
@given(length=st.integers(1, 80), src=st.integers(-20, 90), frames=st.integers(1, 70), seed=st.integers(0, 99))
def test_prepared_stereo_is_read_sample_for_sample(tmp_path_factory, length, src, frames, seed):
    path = tmp_path_factory.mktemp("stereo") / "s.wav"
    made = np.random.default_rng(seed).uniform(-1, 1, (length, 2))
    made[0] = -32768 / 32767, 1
    prepared = open_to_play(write_wav(path, made, RATE, np.int16), RATE)
    in_memory = prepared[0:length]
    assert in_memory[0].tolist() == [-32768, 32767]
    wanted = np.zeros((frames, 2))
    inside = [n for n in range(frames) if 0 <= src + n < length]
    wanted[inside] = in_memory[[src + n for n in inside]]
    stem = Stem(id="s", name="S", file="s.wav", group="tonal")
    for pcm in (prepared, in_memory):
        apart, whole = np.ones((2, frames), np.float32), np.ones((frames, 2), np.float32)
        read_stem(StemAudio(stem=stem, pcm=pcm), src, apart.T)
        read_stem(StemAudio(stem=stem, pcm=pcm), src, whole)
        np.testing.assert_array_equal(apart.T, wanted)
        np.testing.assert_array_equal(whole, wanted)


@pytest.mark.parametrize("dtype", [np.int16, np.float32])
@pytest.mark.parametrize("channels", [1, 2])
def test_meters_of_stems_see_every_sample(tmp_path, dtype, channels):
    rng = np.random.default_rng(5)
    sound = rng.uniform(-0.2, 0.2, (8 * RATE, channels))
    sound[rng.integers(0, len(sound), 200), rng.integers(0, channels, 200)] = rng.uniform(-1, 0.9, 200)
    path = write_wav(tmp_path / "s.wav", sound.astype(np.float32), RATE, dtype)
    pcm = open_to_play(path, RATE)
    loud = np.abs(pcm[0 : len(pcm)].astype(np.float64)) * full_scale(pcm)
    made = ready(show(song(stems=[{"id": "s", "name": "S", "file": "s.wav", "group": "tonal"}])), tmp_path)
    state, renderer = standing_by(), made.renderer()
    renderer.meter_stems()
    state, met = press(made.plan, state, "go", {})[0], 0
    for frames in [5, PIECE - 1, PIECE, PIECE + 1, 9000] * 12:
        state, span = advance(made.plan, state, frames)
        renderer.render(span, np.empty((renderer.rows, frames), np.float32))
        for own in renderer.stem_peaks:
            first, last = state.music.run.src(own.start), state.music.run.src(own.end)
            assert last - first <= PIECE
            assert own.peaks[0] == pytest.approx(loud[max(0, first) : max(0, last)].max(initial=0), abs=1e-6)
            met += last - max(0, first)
    assert met > 3 * RATE
