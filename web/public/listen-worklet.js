// Plays blocks that hold the sound as recorded and as corrected together; switching between the two is a short fade in
// here, so it is heard at once. Blocks follow one another in the order they came, which is not always that of the session:
// a loop turns back. Runs on the audio thread: no imports, no framework.

const FADE = Math.round(0.005 * sampleRate) // frames
const HEADROOM = 2 * 2048 // frames a newcomer has ahead before it takes over: the old sound has its own until then

/** Blocks in their order, and the place in the first of them. */
class Queue {
  constructor(generation) {
    this.generation = generation
    this.blocks = []
    this.k = 0
    this.whole = false // everything of it has come
  }

  push(block) {
    this.blocks.push(block)
  }

  /** Frames that are left. */
  ahead() {
    return this.blocks.reduce((sum, b) => sum + b.frames, 0) - this.k
  }

  /** Session frame of the next sample; undefined when there is none. */
  place() {
    const b = this.blocks[0]
    return b && b.start + this.k * b.speed
  }

  /** Goes on at a place of the session; false when no block holds it. */
  goTo(place, used) {
    const i = this.blocks.findIndex((b) => place >= b.start && place < b.start + b.frames * b.speed)
    if (i < 0) return false
    this.blocks.splice(0, i).forEach(used)
    this.k = Math.floor((place - this.blocks[0].start) / this.blocks[0].speed)
    return true
  }

  /** The block of the next sample; blocks that are used up go. */
  head(used) {
    while (this.blocks.length > 0 && this.k >= this.blocks[0].frames) {
      this.k -= this.blocks.shift().frames
      used()
    }
    return this.blocks[0]
  }
}

class ListenProcessor extends AudioWorkletProcessor {
  constructor() {
    super()
    this.now = new Queue(-1)
    this.coming = new Queue(-1)
    this.leaving = null // fades out under what took over
    this.reserve = null // what a new mix took over from: it helps out when that one does not come fast enough
    this.heard = -1 // generation that last took over
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
      if (this.playing) this.leave()
      this.playing = false
      this.now = new Queue(-1)
      this.coming = new Queue(-1)
      this.reserve = null
    }
    if (m.type === 'expect') {
      this.seek = m.seek
      this.coming = new Queue(m.generation)
    }
    const queue = [this.now, this.coming].find((q) => q.generation === m.generation)
    if (m.type === 'block' && queue) queue.push(m)
    if (m.type === 'end' && queue) queue.whole = true
    if ((m.type === 'block' || m.type === 'end') && queue === this.coming) this.takeOver()
  }

  leave() {
    this.leaving = { queue: this.now, level: this.level }
    this.level = 0
  }

  // A new mix begins where the old one is; a seek begins where it was asked to.
  takeOver() {
    const next = this.coming
    const jump = this.seek || !this.playing
    const used = () => this.port.postMessage({ type: 'used', generation: next.generation })
    if (!jump && next.blocks.length > 0 && !next.goTo(this.frame, used)) {
      const end = next.blocks[next.blocks.length - 1]
      if (this.frame >= end.start + end.frames * end.speed) {
        // All of them lie behind the place: only when they are given back do later ones come.
        next.blocks.splice(0).forEach(used)
        return
      }
      // The old sound has turned back with its loop meanwhile: the new one begins where it was asked to.
    }
    // When the old sound has run out, the first block that reaches the place will do.
    const dry = this.playing && !jump && this.now.blocks.length === 0
    const enough = next.whole || next.ahead() >= HEADROOM
    if (next.blocks.length === 0 || (!enough && !dry)) return
    if (this.playing) this.leave()
    else this.level = 0
    this.reserve = jump ? null : this.now
    this.now = next
    this.coming = new Queue(-1)
    this.playing = true
    if (next.generation !== this.heard) this.port.postMessage({ type: 'over', generation: next.generation })
    this.heard = next.generation
  }

  // Before a new mix runs out the one before it, which still has its own ahead, sounds on until the new one has come.
  helpOut() {
    const short = this.playing && !this.now.whole && this.now.ahead() <= FADE + 128
    if (!short || !this.reserve?.goTo(this.frame, () => {})) return
    this.leave()
    if (this.coming.generation < 0) {
      this.coming = this.now
      this.seek = false
    }
    this.now = this.reserve
    this.reserve = null
  }

  sample(block, k, side) {
    const c = this.corrected
    return c * block.planes[side][k] + (1 - c) * block.planes[side + 2][k]
  }

  process(_inputs, outputs) {
    const [left, right] = outputs[0]
    const step = 1 / FADE
    this.helpOut()
    const used = () => this.port.postMessage({ type: 'used', generation: this.now.generation })
    for (let i = 0; i < left.length; i++) {
      let l = 0
      let r = 0
      if (this.corrected !== this.target) {
        const d = this.target - this.corrected
        this.corrected += Math.sign(d) * Math.min(Math.abs(d), step)
        if (this.corrected === this.target) this.port.postMessage({ type: 'switched' })
      }
      if (this.leaving) {
        const { queue } = this.leaving
        const old = queue.head(() => {})
        this.leaving.level -= step
        if (!old || this.leaving.level <= 0) this.leaving = null
        else {
          l = this.leaving.level * this.sample(old, queue.k, 0)
          r = this.leaving.level * this.sample(old, queue.k, 1)
          queue.k++
        }
      }
      const block = this.playing ? this.now.head(used) : undefined
      if (block) {
        if (this.starving) {
          this.gaps++
          this.starving = false
        }
        this.level = Math.min(1, this.level + step)
        l += this.level * this.sample(block, this.now.k, 0)
        r += this.level * this.sample(block, this.now.k, 1)
        this.now.k++
        this.frame = block.start + this.now.k * block.speed
      } else if (this.playing && this.now.generation >= 0 && !this.now.whole) this.starving = true
      left[i] = l
      right[i] = r
    }
    // While another mix is still to come it is not over: what comes goes on there, or says that it has nothing more.
    const over = (queue) => queue.whole && queue.blocks.length === 0
    const last = this.coming.generation < 0 ? this.now : this.coming
    if (this.playing && over(this.now) && over(last)) {
      this.playing = false
      this.port.postMessage({ type: 'done', generation: last.generation })
    }
    this.sincePost += left.length
    if (this.sincePost >= 1024) {
      this.sincePost = 0
      this.port.postMessage({ type: 'at', frame: this.frame, gaps: this.gaps, generation: this.heard })
    }
    return true
  }
}

registerProcessor('marea-listen', ListenProcessor)
