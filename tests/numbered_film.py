"""A film that shows the number of each of its frames, and how far it is from the song that it is shown with."""

import time

import av
import numpy as np

FPS, BLOCKS, SIZE = 25, 17, 20
# The number of a frame as it is shown, read from its picture, with when it is shown in seconds since 1970.
WATCH = """(seconds) => new Promise((done) => {
  const video = document.querySelector("video"), canvas = document.createElement("canvas"), found = [];
  const [blocks, size] = [17, 20];
  [canvas.width, canvas.height] = [blocks * size, size];
  const pen = canvas.getContext("2d", { willReadFrequently: true });
  const end = performance.now() + 1000 * seconds;
  const frame = (_, { expectedDisplayTime }) => {
    pen.drawImage(video, 0, 0, blocks * size, size, 0, 0, blocks * size, size);
    let number = 0;
    for (let i = 0; i < blocks; i++) if (pen.getImageData(i * size + size / 2, size / 2, 1, 1).data[1] > 127) number |= 1 << i;
    found.push([number, (performance.timeOrigin + expectedDisplayTime) / 1000]);
    if (performance.now() < end) video.requestVideoFrameCallback(frame); else done(found);
  };
  video.requestVideoFrameCallback(frame);
})"""


def numbered_film(path, seconds=70):
    """A film that shows the number of each frame in black and white blocks."""
    with av.open(str(path), "w") as container:
        stream = container.add_stream("libvpx", rate=FPS, options={"deadline": "realtime", "cpu-used": "8", "g": "10"})
        stream.width, stream.height, stream.pix_fmt, stream.bit_rate = BLOCKS * SIZE, 60, "yuv420p", 1_500_000
        for n in range(seconds * FPS):
            picture = np.full((60, BLOCKS * SIZE, 3), 90, np.uint8)
            for i in range(BLOCKS):
                picture[:SIZE, i * SIZE : (i + 1) * SIZE] = 255 if n >> i & 1 else 0
            container.mux(stream.encode(av.VideoFrame.from_ndarray(picture, format="rgb24")))
        container.mux(stream.encode(None))
    return path


def place_now(page):
    """Where the song is, in seconds after bar 1 at seconds since 1970, as the engine says it is heard."""
    state = page.request.get("/api/engine/").json()
    state = state.get("state", state)
    return state["position"]["song_s"], state["heard_at"] + time.time() - time.monotonic(), state["status"]


def press(page, name, **args):
    token = next(c["value"] for c in page.context.cookies() if c["name"] == "csrftoken")
    headers = {"X-CSRFToken": token, "Referer": page.url}
    for _ in range(10):
        answer = page.request.post("/api/engine/", data={"press": name, "args": args}, headers=headers)
        if "press-old" not in answer.text():  # as a hand does where the machine stood still
            break
    assert answer.json().get("accepted"), answer.text()


def off(page, frames):
    """How many frames each picture is off, where the song went on without a jump since it was shown."""
    song_s, at, status = place_now(page)
    assert status == "playing"
    return np.array([(number + 0.5) - (song_s + shown - at) * FPS for number, shown in frames])
