"""The ranges of the core hold over HTTP, at their very ends and just beyond."""

import pytest

from outputs.models import Feed
from upbeat import limits


@pytest.fixture
def rig(ines):
    return ines.post("rigs/", {"name": "Eight", "sockets": [{"number": n} for n in range(1, 9)]}).json()


@pytest.fixture
def feed(ines):
    return ines.post("feeds/", {"name": "House", "kind": "house", "channels": 2, "sends": []}).json()


def beyond(span):
    step = 1 if float(span.low).is_integer() and float(span.high).is_integer() else 0.01
    return (span.low - step, span.high + step)


def refused_with_a_sentence(answer):
    assert answer.status_code == 400, answer.content
    assert answer.json()["problems"][0]["message"].rstrip().endswith(".")


def test_gain_of_a_feed(ines, feed):
    for value in (limits.FEED_GAIN_DB.low, limits.FEED_GAIN_DB.high):
        assert ines.patch(f"feeds/{feed['id']}/", {"gain_db": value}).json()["gain_db"] == value
    for value in beyond(limits.FEED_GAIN_DB):
        refused_with_a_sentence(ines.patch(f"feeds/{feed['id']}/", {"gain_db": value}))
    assert Feed.objects.get(pk=feed["id"]).gain_db == limits.FEED_GAIN_DB.high


@pytest.mark.parametrize("channels", [0, 3, -1, "two"])
def test_a_feed_has_one_channel_or_two(ines, channels):
    refused_with_a_sentence(ines.post("feeds/", {"name": "X", "kind": "monitor", "channels": channels}))
    assert not Feed.objects.filter(name="X").exists()


def test_numbers_of_sockets_and_delays_of_wires(ines, rig, feed):
    def wired(number, delay):
        wire = {"feed": feed["id"], "side": "left", "socket": number, "delay_ms": delay}
        return ines.patch(f"rigs/{rig['id']}/", {"sockets": [{"number": number}], "patches": [wire]})

    for number in (limits.SOCKETS.low, limits.SOCKETS.high):
        for delay in (limits.PATCH_DELAY_MS.low, limits.PATCH_DELAY_MS.high):
            assert wired(int(number), delay).status_code == 200
    kept = ines.get(f"rigs/{rig['id']}/").json()
    for number in beyond(limits.SOCKETS):
        refused_with_a_sentence(wired(int(number), 0))
    for delay in beyond(limits.PATCH_DELAY_MS):
        refused_with_a_sentence(wired(1, delay))
    assert ines.get(f"rigs/{rig['id']}/").json() == kept


def test_minutes_of_a_slot_and_seconds_between_songs(ines):
    song = ines.song()
    setlist = ines.post("setlists/", {"name": "Evening"}).json()

    def changed(**fields):
        return ines.patch(f"setlists/{setlist['id']}/", fields)

    for value in (limits.SLOT_MINUTES.low, limits.SLOT_MINUTES.high):
        assert changed(slot_minutes=int(value)).json()["slot_minutes"] == value
    for value in beyond(limits.SLOT_MINUTES):
        refused_with_a_sentence(changed(slot_minutes=int(value)))
    for value in (limits.LINK_S.low, limits.LINK_S.high):
        entry = {"song": song["id"], "link": "after", "link_seconds": value}
        assert changed(entries=[entry]).json()["entries"][0]["link_seconds"] == value
    for value in beyond(limits.LINK_S):
        refused_with_a_sentence(changed(entries=[{"song": song["id"], "link": "after", "link_seconds": value}]))
    assert changed().json()["entries"][0]["link_seconds"] == limits.LINK_S.high


@pytest.mark.parametrize(
    ("edit", "args", "field", "span"),
    [
        ("set_bar1", {}, "seconds", limits.BAR1_S),
        ("scale_tempo", {}, "by", limits.TEMPO_FACTOR),
    ],
)
def test_what_an_edit_takes(ines, edit, args, field, span):
    song = ines.song(bpm="30")
    assert ines.edit(song, edit, **args, **{field: span.high}).status_code == 200
    for value in beyond(span):
        refused_with_a_sentence(ines.edit(song, edit, **args, **{field: value}))


def test_a_name_is_as_long_as_the_page_lets_it_be(ines):
    assert ines.post("songs/", {"title": "x" * limits.TITLE}).status_code == 201
    refused_with_a_sentence(ines.post("songs/", {"title": "x" * (limits.TITLE + 1)}))
    assert ines.post("songs/", {"title": "Seven", "meter": "7/8 (2+2+3)"}).json()["meters"][0]["grouping"] == [2, 2, 3]
