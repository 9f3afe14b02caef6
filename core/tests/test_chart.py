"""Chords as musicians type them, their transposition, and ChordPro text there and back."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from upbeat.errors import Refused
from upbeat.song import chordpro
from upbeat.song.chords import fifths, note_name, parse_bars, parse_chord, parse_key, transpose_key, transposed

ROOTS = [n + a for n in "ABCDEFG" for a in ("", "#", "b")]
QUALITIES = [
    "",
    "m",
    "7",
    "m7",
    "maj7",
    "sus4",
    "7sus4",
    "m7b5",
    "dim",
    "°",
    "+",
    "6",
    "69",
    "6/9",
    "add9",
    "13",
    "7(b9,#11)",
    "m(maj7)",
    "5",
    "7#9",
]
chords = st.builds(
    lambda r, q, b: r + q + (f"/{b}" if b else ""),
    st.sampled_from(ROOTS),
    st.sampled_from(QUALITIES),
    st.sampled_from(["", *ROOTS]),
)
bars = st.one_of(st.just(""), st.just("%"), st.just("N.C."), st.lists(chords, min_size=1, max_size=4).map(" ".join))


def pitch(name):
    return (7 * fifths(name)) % 12


class TestTyped:
    def test_bars_stand_between_bar_lines(self):
        assert parse_bars("Em C/E | G D7sus4 | % | %") == ["Em C/E", "G D7sus4", "%", "%"]
        assert parse_bars("| Am7 . D9 / || n.c. | | G |") == ["Am7 . D9 /", "N.C.", "", "G"]
        assert parse_bars("|: em | B♭ :|\nF♯m7♭5 |") == ["Em", "Bb", "F#m7b5"]
        assert parse_bars("  ") == []

    @given(chords)
    def test_every_usual_chord_is_read_and_written_the_same(self, text):
        assert str(parse_chord(text)) == text

    @pytest.mark.parametrize(
        "text", ["Hm", "X", "C/", "C//E", "Emm", "D7sus5", "🎵", "Ünder", "verse", "C7/9b", "", "C E"]
    )
    def test_what_is_no_chord_is_named(self, text):
        with pytest.raises(Refused, match="is not a chord: write a root from A to G"):
            parse_chord(text)

    @pytest.mark.parametrize(
        ("text", "sentence"),
        [
            ("Em | % C | G", "% stands for a whole bar"),
            ("/ Em", "holds the chord before it"),
            (" ".join(["C"] * 17), "at most 16 chords, not 17"),
            ("C " + "x" * 300, "at most 16 chords"),
        ],
    )
    def test_a_bar_that_cannot_be_is_refused(self, text, sentence):
        with pytest.raises(Refused, match=sentence):
            parse_bars(text)


class TestTransposed:
    def test_keys_and_chords_move_together_and_keep_their_spelling(self):
        assert transposed(["Em C/E", "G D7sus4", "%"], "E minor", 2) == (["F#m D/F#", "A E7sus4", "%"], "F# minor")
        assert transposed(["Bb F7 N.C."], "B flat", 2) == (["C G7 N.C."], "C")
        assert transposed(["Em"], "Em", 1) == (["Fm"], "Fm")
        assert transposed(["Bb Eb"], "Bb", -2) == (["Ab Db"], "Ab")
        assert transposed(["F#m"], "F# minor", 12) == (["F#m"], "F# minor")
        assert transposed(["C"], "modal", 2) == (["D"], "modal")

    @given(
        st.lists(bars, max_size=12),
        st.sampled_from(["", "C", "Eb", "F#m", "B minor", "A flat", "odd"]),
        st.integers(-11, 11),
    )
    def test_every_note_moves_by_as_many_semitones_and_back(self, typed, key, semitones):
        moved, new_key = transposed(typed, key, semitones)
        for before, after in zip(" ".join(typed).split(), " ".join(moved).split(), strict=True):
            if before in ("%", "N.C."):
                assert after == before
                continue
            a, b = parse_chord(before), parse_chord(after)
            assert (pitch(b.root) - pitch(a.root) - semitones) % 12 == 0
            assert a.quality == b.quality
            assert bool(a.bass) == bool(b.bass)
        old, new = parse_key(key), parse_key(new_key)
        if old:
            assert (pitch(new[0]) - pitch(old[0]) - semitones) % 12 == 0
            assert old[1] == new[1]
        else:
            assert new_key == key

    @given(st.integers(-60, 60))
    def test_notes_are_spelled_with_one_accidental_at_most(self, place):
        name = note_name(place)
        assert len(name) <= 2
        assert (7 * place) % 12 == pitch(name)

    def test_keys_as_people_write_them(self):
        assert [parse_key(k) for k in ("E minor", "Em", "B♭", "b flat", "F sharp minor", "C major", "G", "sad")] == [
            ("E", True),
            ("E", True),
            ("Bb", False),
            ("Bb", False),
            ("F#", True),
            ("C", False),
            ("G", False),
            None,
        ]
        assert transpose_key("B flat minor", 2) == "C minor"


plain_text = st.characters(blacklist_categories=("Cs", "Cc"), blacklist_characters="{}")
names = st.text(plain_text, min_size=1, max_size=20).map(str.strip).filter(lambda s: s and s == " ".join(s.split()))
lines = st.text(
    st.characters(blacklist_categories=("Cs", "Cc", "Zl", "Zp"), blacklist_characters="{}[]#\x85"), max_size=30
).map(str.strip)
words = st.lists(lines, max_size=4).map(lambda rows: "\n".join(rows).strip("\n"))
parts = st.builds(
    lambda n, b, w, note: chordpro.Part(name=n, bars=tuple(b), words=w, note=note),
    names,
    st.lists(bars, max_size=6).filter(lambda b: not b or any(b)),
    words,
    lines,
)


class TestChordPro:
    @given(names, st.sampled_from(["", "Em", "B flat"]), st.lists(parts, max_size=5))
    def test_what_is_written_is_read_again(self, title, key, own):
        chart = chordpro.ChartText(title=title, key=key, tempo="126.5", time="7/8", note="", parts=tuple(own))
        again = chordpro.read(chordpro.write(chart))
        assert (again.title, again.key, again.tempo, again.time) == (title, key, "126.5", "7/8")
        assert again.parts == chart.parts
        assert again.left == ()

    def test_text_as_it_goes_round(self):
        answer = chordpro.read(
            "# a comment\n{t: Lantern Song}\n{key:G}\n{c: Chorus}\n[G]Lanterns [C]in\n{soc}\n[D]la\n{eoc}\n{sog}\n"
            "|: Am . F . | C/E / / / :| 2x\n{eog}\n{define: G 1 2 3}\nfree words"
        )
        assert (answer.title, answer.key) == ("Lantern Song", "G")
        assert [(p.name, p.bars, p.words) for p in answer.parts] == [
            ("Chorus", ("G", "C"), "[G]Lanterns [C]in"),
            ("Chorus", ("D",), "[D]la"),
            ("Section", ("Am . F .", "C/E / / /"), ""),
            ("Section", (), "free words"),
        ]
        assert answer.left == ("Line 12, {define}, is not understood and was left out.",)
        assert answer.guessed == ("Chorus", "Chorus")

    def test_a_wrong_chord_in_a_grid_names_its_line(self):
        with pytest.raises(Refused, match="^Line 3: “Hm” is not a chord"):
            chordpro.read("{start_of_verse}\n{start_of_grid}\n| Em | Hm |\n{end_of_grid}")

    def test_a_text_without_end_is_refused(self):
        with pytest.raises(Refused, match="at most 200,000"):
            chordpro.read("x" * 200_001)

    @given(st.text(max_size=400))
    def test_any_text_is_read_or_refused_with_a_sentence(self, text):
        try:
            chordpro.read(text)
        except Refused as refused:
            assert str(refused)
