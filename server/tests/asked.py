"""What tests ask of answers."""

from __future__ import annotations


def ids(song):
    return {s["name"]: s["id"] for s in song["sections"]}


def says(answer):
    assert answer.status_code == 400, answer.content
    return answer.json()["problems"][0]["message"]


def opened(member, song):
    return member.get(f"songs/{song['id']}/").json()
