import { useEffect, useRef, useState } from "react";

import { asWav } from "./wav";

const LONGEST_MS = 6000;

interface Running {
  word: string;
  stop: () => void;
}

/** The microphone, one word at a time: begun and ended by a press, ended by itself after six seconds. */
export function useRecorder(done: (word: string, sound: Blob) => void, failed: (reason: "none" | "refused") => void) {
  const running = useRef<Running | null>(null);
  const [word, setWord] = useState<string | null>(null);
  useEffect(() => () => running.current?.stop(), []);

  const start = async (wanted: string) => {
    running.current?.stop();
    // Browsers lend the microphone to pages from this machine or over TLS alone.
    if (!navigator.mediaDevices?.getUserMedia || typeof MediaRecorder === "undefined") return failed("none");
    let stream: MediaStream;
    try {
      // What makes calls pleasant eats the beginnings of words.
      stream = await navigator.mediaDevices.getUserMedia({
        audio: { echoCancellation: false, noiseSuppression: false, autoGainControl: false },
      });
    } catch {
      return failed("refused");
    }
    const recorder = new MediaRecorder(stream);
    const pieces: Blob[] = [];
    recorder.ondataavailable = (e) => pieces.push(e.data);
    recorder.onstop = () => {
      stream.getTracks().forEach((track) => track.stop());
      running.current = null;
      setWord(null);
      void decoded(new Blob(pieces)).then(
        (sound) => done(wanted, sound),
        () => failed("refused"),
      );
    };
    const late = setTimeout(() => recorder.state === "recording" && recorder.stop(), LONGEST_MS);
    running.current = {
      word: wanted,
      stop: () => {
        clearTimeout(late);
        if (recorder.state === "recording") recorder.stop();
      },
    };
    recorder.start();
    setWord(wanted);
  };
  return { word, start: (wanted: string) => void start(wanted), stop: () => running.current?.stop() };
}

/** What was recorded as plain sound: what browsers record in is theirs alone to read. */
async function decoded(raw: Blob): Promise<Blob> {
  const context = new AudioContext();
  try {
    const sound = await context.decodeAudioData(await raw.arrayBuffer());
    return asWav(sound.getChannelData(0), sound.sampleRate);
  } finally {
    void context.close();
  }
}
