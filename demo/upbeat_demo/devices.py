"""The devices of the demo, as a show has them; their ports are those of the stand-ins that ship."""

from __future__ import annotations

KEYBOARD, DESK, FILM = "keyboard", "lights", "film"


def _program(ident: str, name: str, number: int, bank: int | None = None) -> dict:
    return {"id": ident, "name": name, "send": {"kind": "program", "program": number, "bank": bank}}


def _scene(ident: str, name: str, note: int) -> dict:
    return {"id": ident, "name": name, "send": {"kind": "note", "note": note, "beats": 1.0}}


DEVICES = (
    {
        "id": KEYBOARD,
        "name": "Teodor’s keyboard",
        "kind": "midi",
        "port": "Keyboard rig",
        "channel": 1,
        "lead_ms": 20.0,
        "messages": [
            _program("glass", "Glass organ", 12, 2),
            _program("pipes", "Pipes", 31, 2),
            _program("ferry", "Ferry horn", 57, 2),
            _program("water", "Still water", 89, 2),
        ],
    },
    {
        "id": DESK,
        "name": "Lights",
        "kind": "midi",
        "port": "Lighting desk",
        "channel": 5,
        "messages": [
            _scene("warm", "Warm wash", 62),
            _scene("stars", "Slow stars", 63),
            _scene("strobe", "Parade strobe", 64),
            _scene("solo", "Follow the soloist", 65),
            _scene("dark", "Dark but for lanterns", 60),
        ],
    },
    {"id": "film-time", "name": "Film player", "kind": "timecode", "port": "Film player", "fps": "25"},
    {"id": FILM, "name": "Dome film", "kind": "osc", "host": "127.0.0.1", "udp_port": 9500},
)
