// Plays blocks that hold the sound as recorded and as corrected together; switching between the two is a short fade in
// here, so it is heard at once. Runs on the audio thread: no imports, no framework.

const FADE = 240 // frames, 5 ms at 48 kHz
const HEADROOM = 3 // blocks a newcomer brings before it takes over: the old sound has its own until then

class ListenProcessor extends AudioWorkletProcessor {
  constructor() {
    super()
    this.blocks = [] // of the generation that sounds, in order
    this.coming = [] // of a generation that has yet to take over
    this.generation = -1
    this.frame = 0
    this.playing = false
    this.corrected = 1 // 0 … 1 while it fades
    this.target = 1
    this.level = 0 // fades in and out at start, stop and take-over
    this.gaps = 0
    this.sincePost = 0
    this.port.onmessage = (e) => this.receive(e.data)
  }

  receive(m) {
    if (m.type === 'which') this.target = m.corrected ? 1 : 0
    if (m.type === 'stop') {
      this.playing = false
      this.blocks = []
      this.coming = []
    }
    if (m.type === 'expect') {
      this.expected = m.generation
      this.seek = m.seek
      this.coming = []
    }
    if (m.type === 'block') {
      if (m.generation === this.generation) this.blocks.push(m)
      else if (m.generation === this.expected) {
        this.coming.push(m)
        this.takeOver()
      }
    }
  }

  // A new mix begins where the old one is; a seek begins where it was asked to.
  takeOver() {
    const last = this.coming[this.coming.length - 1]
    const from = this.seek || !this.playing ? this.coming[0].start : this.frame
    const ahead = last.start + last.frames - from
    // When the old sound has run out, the first block that reaches the place will do.
    const dry = this.playing && this.blocks.length === 0
    if (ahead >= HEADROOM * last.frames || (dry && ahead > 0)) {
      if (this.seek || !this.playing) {
        this.frame = this.coming[0].start
        this.level = 0
      }
      this.generation = this.expected
      this.blocks = this.coming
      this.coming = []
      this.playing = true
    }
  }

  process(_inputs, outputs) {
    const [left, right] = outputs[0]
    const step = 1 / FADE
    for (let i = 0; i < left.length; i++) {
      let block = this.blocks[0]
      while (block && this.frame >= block.start + block.frames) {
        this.blocks.shift()
        this.port.postMessage({ type: 'used', generation: this.generation })
        block = this.blocks[0]
      }
      if (!this.playing || !block || this.frame < block.start) {
        if (this.playing) this.starving = (this.starving || 0) + 1
        left[i] = 0
        right[i] = 0
        continue
      }
      if (this.starving) {
        this.gaps++
        this.starving = 0
      }
      if (this.corrected !== this.target) {
        const d = this.target - this.corrected
        this.corrected += Math.sign(d) * Math.min(Math.abs(d), step)
        if (this.corrected === this.target) this.port.postMessage({ type: 'switched' })
      }
      this.level = Math.min(1, this.level + step)
      const k = this.frame - block.start
      const c = this.corrected
      left[i] = this.level * (c * block.planes[0][k] + (1 - c) * block.planes[2][k])
      right[i] = this.level * (c * block.planes[1][k] + (1 - c) * block.planes[3][k])
      this.frame++
    }
    this.sincePost += left.length
    if (this.sincePost >= 1024) {
      this.sincePost = 0
      const at = { type: 'at', frame: this.frame, gaps: this.gaps, corrected: this.corrected, generation: this.generation }
      this.port.postMessage(at)
    }
    return true
  }
}

registerProcessor('marea-listen', ListenProcessor)
