import type { Track } from '../../api/client'
import { linkName } from '../../session/links'

/** Tracks that are looked at as the channels of one recording. */
export interface ChannelSet {
  key: string
  label: string
  tracks: Track[]
}

/** Files of several channels, tracks that call themselves left and right of one thing, and the pair under comparison. */
export function setsOf(all: readonly Track[], pair: readonly (Track | undefined)[]): ChannelSet[] {
  const found: ChannelSet[] = []
  const linked = new Map<string, Track[]>()
  for (const t of all) if (t.link_id) linked.set(t.link_id, [...(linked.get(t.link_id) ?? []), t])
  for (const [key, tracks] of linked) if (tracks.length > 1) found.push({ key, label: linkName(tracks), tracks })
  for (const l of all.filter((t) => !t.link_id && t.side === 'left')) {
    const r = all.find((t) => !t.link_id && t.side === 'right' && t.source === l.source && t.role === l.role)
    if (r) found.push({ key: l.id, label: `${l.name} / ${r.name}`, tracks: [l, r] })
  }
  const [a, b] = pair
  if (a && b) found.push({ key: 'pair', label: `This pair: ${a.name} / ${b.name}`, tracks: [a, b] })
  return found
}

const SHORT: Record<string, string> = {
  left: 'L',
  right: 'R',
  centre: 'C',
  lfe: 'LFE',
  left_surround: 'Ls',
  right_surround: 'Rs',
  left_back: 'Lb',
  right_back: 'Rb',
  top_front_left: 'Ltf',
  top_front_right: 'Rtf',
  top_back_left: 'Ltb',
  top_back_right: 'Rtb',
}

/** Words of the trade for the places of channels; the tracks' own names where the layout is unknown. */
export function namesOf(tracks: readonly Track[], places: readonly string[] | null | undefined): string[] {
  return tracks.map((t, c) => {
    const place = places?.[c]
    return place ? (SHORT[place] ?? place) : t.name
  })
}
