/** Mono sound as a WAV file of 16 bits (RIFF, format 1). */
export function asWav(sound: Float32Array, rate: number): Blob {
  const head = new DataView(new ArrayBuffer(44));
  const text = (at: number, letters: string) => [...letters].forEach((c, i) => head.setUint8(at + i, c.charCodeAt(0)));
  text(0, "RIFF");
  head.setUint32(4, 36 + 2 * sound.length, true);
  text(8, "WAVEfmt ");
  head.setUint32(16, 16, true);
  head.setUint16(20, 1, true);
  head.setUint16(22, 1, true);
  head.setUint32(24, rate, true);
  head.setUint32(28, 2 * rate, true);
  head.setUint16(32, 2, true);
  head.setUint16(34, 16, true);
  text(36, "data");
  head.setUint32(40, 2 * sound.length, true);
  const body = new DataView(new ArrayBuffer(2 * sound.length));
  sound.forEach((x, i) => body.setInt16(2 * i, Math.round(32767 * Math.max(-1, Math.min(1, x))), true));
  return new Blob([head, body], { type: "audio/wav" });
}
