// Plays int16 stereo in the order it comes, and tells how many frames have been heard.
class Speaker extends AudioWorkletProcessor {
  constructor() {
    super();
    this.blocks = [];
    this.at = 0;
    this.played = 0;
    this.told = 0;
    this.run = 0;
    this.port.onmessage = ({ data }) => {
      if (data.clear !== undefined) {
        this.blocks = [];
        this.at = this.played = this.told = 0;
        this.run = data.clear;
      } else if (data.run === this.run) {
        this.blocks.push(data.samples);
      }
    };
  }

  process(_, [[left, right]]) {
    for (let i = 0; i < left.length; i++) {
      const block = this.blocks[0];
      if (!block) break;
      left[i] = block[this.at] / 32768;
      right[i] = block[this.at + 1] / 32768;
      this.at += 2;
      this.played++;
      if (this.at >= block.length) {
        this.blocks.shift();
        this.at = 0;
      }
    }
    if (this.played - this.told >= 1024) {
      this.told = this.played;
      this.port.postMessage({ played: this.played, run: this.run });
    }
    return true;
  }
}

registerProcessor("speaker", Speaker);
