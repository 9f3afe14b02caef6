"""Rule P5: what was heard is in the night log once, whichever renderer writes it."""

import json

from playout import order
from playout.night_log import Begun, NightLog

SHOW = Begun(order.LoadEntry(generation=1, folder="show", show="evening", asked_at=1.0), "Evening", 1000, 48000)


def test_a_renderer_that_stood_still_does_not_write_again_what_the_other_one_wrote(tmp_path):
    written = [0]
    one, other = (
        NightLog(tmp_path, lambda frame: written.append(frame), lambda failed: None, lambda: max(written))
        for _ in range(2)
    )

    def hears(log, *frames):
        for frame in frames:
            log.add(SHOW, {"frame": frame, "kind": "bar"})
        log.heard(SHOW.frame + frames[-1] + 1)

    one.opened(SHOW)
    hears(one, 0, 100)
    one.close()
    hears(other, 200, 300)
    other.close()
    late = NightLog(tmp_path, lambda frame: written.append(frame), lambda failed: None, lambda: max(written))
    hears(late, 200, 300, 400)
    late.close()
    [path] = (tmp_path / "night-logs").iterdir()
    lines = [json.loads(line) for line in path.read_text().splitlines()]
    assert [line.get("frame") for line in lines] == [None, 0, 100, 200, 300, 400]
