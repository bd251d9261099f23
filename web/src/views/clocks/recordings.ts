import type { Track } from '../../api/client'

/** One file of the session, by its first track. */
export interface Recorded {
  id: string
  name: string
  tracks: Track[]
  /** Session frames, as recorded. */
  from: number
  to: number
}

/** The session's recordings, in the order of their tracks. */
export function recordingsOf(tracks: readonly Track[]): Recorded[] {
  const by = new Map<string, Track[]>()
  for (const t of tracks) by.set(t.recording, [...(by.get(t.recording) ?? []), t])
  return [...by.values()].map((own) => {
    const first = [...own].sort((a, b) => a.channel - b.channel)[0]!
    const name = own.length > 1 ? first.file_name.replace(/\.[^.]+$/, '') : first.name
    return { id: first.id, name, tracks: own, from: first.start_frame, to: first.start_frame + first.frames }
  })
}

/** What others are best placed against: the anchor's recording, else one that hears everything, else the longest. */
export function usualReference(all: readonly Recorded[], anchor: string): string {
  const anchored = all.find((r) => r.tracks.some((t) => t.id === anchor))
  const main = all.find((r) => r.tracks.some((t) => t.role === 'main'))
  const longest = [...all].sort((a, b) => b.to - b.from - (a.to - a.from))[0]
  return (anchored ?? main ?? longest)?.id ?? ''
}
