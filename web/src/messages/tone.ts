const WAVES: OscillatorType[] = ["sine", "triangle", "square", "sawtooth"];
const [LOUD, FADE_S] = [0.12, 0.02];

/** A simple tone for each note that sounds; each program has a wave of its own. */
export class Tone {
  private readonly context = new AudioContext();
  private readonly out = this.context.createGain();
  private readonly sounding = new Map<number, { wave: OscillatorNode; level: GainNode }>();

  constructor() {
    this.out.connect(this.context.destination);
  }

  /** Have just these notes sound (60 is middle C), at an expression of 0 to 127. */
  play(notes: number[], program: number, expression: number) {
    this.out.gain.setTargetAtTime((LOUD * expression) / 127, this.context.currentTime, FADE_S);
    for (const [note, { wave, level }] of this.sounding)
      if (!notes.includes(note)) {
        level.gain.setTargetAtTime(0, this.context.currentTime, FADE_S);
        wave.stop(this.context.currentTime + 10 * FADE_S);
        this.sounding.delete(note);
      }
    for (const note of notes) if (!this.sounding.has(note)) this.begin(note, program);
  }

  private begin(note: number, program: number) {
    const wave = this.context.createOscillator();
    const level = this.context.createGain();
    wave.type = WAVES[program % WAVES.length] ?? "sine";
    wave.frequency.value = 440 * 2 ** ((note - 69) / 12);
    wave.connect(level).connect(this.out);
    wave.start();
    this.sounding.set(note, { wave, level });
  }

  close() {
    void this.context.close();
  }
}
