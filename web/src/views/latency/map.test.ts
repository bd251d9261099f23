import { describe, expect, it } from 'vitest'
import {
  addNode,
  addStages,
  freshName,
  latencyText,
  ofTracks,
  parseLatency,
  removeNode,
  removeStage,
  renameNode,
  setKind,
  toggleFeed,
  withTracks,
} from './map'

const stage = (name: string, latency_ms: number) => ({ name, latency_ms, on: true, late_when_off: false })

describe('a map of paths', () => {
  it('begins with all tracks into one output, and takes later ones up', () => {
    const map = withTracks(ofTracks(['Voice', 'Voice', 'Drum'], 48000), ['Drum', 'Flute'])
    expect(map.nodes.map((n) => n.id)).toEqual(['Voice', 'Drum', 'Flute', 'Out'])
    expect(map.nodes[2]!.to).toEqual([{ node: 'Out', tap: 'after' }])
  })
  it('keeps connections when a node is called otherwise, and drops them with it', () => {
    let map = addNode(ofTracks(['Voice'], 48000), 'group', 'Voices')
    map = toggleFeed(toggleFeed(map, 'Voice', 'Out', 'after'), 'Voice', 'Voices', 'after')
    map = renameNode(map, 'Voices', 'Choir')
    expect(map.nodes[0]!.to).toEqual([{ node: 'Choir', tap: 'after' }])
    expect(map.nodes[1]!.to).toEqual([{ node: 'Out', tap: 'after' }])
    expect(removeNode(map, 'Choir').nodes[0]!.to).toEqual([])
    expect(setKind(map, 'Choir', 'output').nodes[1]!.to).toEqual([])
    expect(setKind(map, 'Choir', 'track').nodes[0]!.to).toEqual([])
  })
  it('puts stages behind the one that is named', () => {
    let map = addStages(ofTracks(['Voice'], 48000), 'Voice', null, [stage('a', 1), stage('b', 2)])
    map = addStages(map, 'Voice', 0, [stage('c', 3)])
    expect(map.nodes[0]!.stages!.map((s) => s.name)).toEqual(['a', 'c', 'b'])
    expect(removeStage(map, 'Voice', 1).nodes[0]!.stages!.map((s) => s.name)).toEqual(['a', 'b'])
    expect(freshName(map, 'Voice')).toBe('Voice 2')
  })
  it('keeps what it does not know', () => {
    const odd = { sample_rate_hz: 48000, colour: 'blue', nodes: [{ id: 'A', kind: 'track' as const, note: 'x', to: [] }] }
    expect(renameNode(odd, 'A', 'B')).toEqual({ ...odd, nodes: [{ ...odd.nodes[0], id: 'B' }] })
  })
})

describe('latencies as typed', () => {
  it('are read with their unit, or in the one chosen', () => {
    const of = (text: string, unit: 'ms' | 'samples' = 'ms') => parseLatency(text, unit)
    expect(of('10 ms')).toMatchObject({ latency_ms: 10, latency_samples: undefined })
    expect(of('0,34 s')!.latency_ms).toBeCloseTo(340)
    expect(of('64')).toMatchObject({ latency_ms: 64 })
    expect(of('64', 'samples')).toMatchObject({ latency_samples: 64, at_rate_hz: undefined })
    expect(of('441 samples at 44.1 kHz')).toMatchObject({ latency_samples: 441, at_rate_hz: 44100 })
    expect(of('441 at 44100 Hz')).toMatchObject({ latency_samples: 441, at_rate_hz: 44100 })
    for (const wrong of ['', 'soon', '-3 ms', '10 ms at 48 kHz']) expect(of(wrong)).toBeNull()
  })
  it('are shown as they were written', () => {
    for (const text of ['10 ms', '786.9 ms', '96 samples', '441 samples at 44.1 kHz']) {
      expect(latencyText({ name: '', ...parseLatency(text, 'ms') })).toBe(text)
    }
  })
})
