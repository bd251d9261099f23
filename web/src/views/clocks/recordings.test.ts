import { describe, expect, it } from 'vitest'
import type { Track } from '../../api/client'
import { recordingsOf, usualReference } from './recordings'

const track = (id: string, recording: string, channel: number, frames: number): Track =>
  ({ id, recording, channel, frames, name: id, file_name: `${recording}.wav`, start_frame: 100 }) as Track

describe('recordings', () => {
  const all = recordingsOf([track('b', 'cam', 2, 50), track('a', 'cam', 1, 50), track('c', 'voice', 1, 900)])

  it('are files, with all channels of one file together', () => {
    expect(all.map((r) => [r.id, r.name, r.tracks.length, r.from, r.to])).toEqual([
      ['a', 'cam', 2, 100, 150],
      ['c', 'c', 1, 100, 1000],
    ])
  })

  it('are placed against that of the anchor, a main microphone, or the longest', () => {
    expect(usualReference(all, 'b')).toBe('a')
    expect(usualReference(all, '')).toBe('c')
    const main = recordingsOf([{ ...track('m', 'pair', 1, 10), role: 'main' }, ...all.flatMap((r) => r.tracks)])
    expect(usualReference(main, '')).toBe('m')
    expect(usualReference([], '')).toBe('')
  })
})
