import type { Track } from '../api/client'

/** What tracks that are linked are called together. */
export function linkName(tracks: readonly Track[]): string {
  const ofOneFile = tracks.every((t) => t.recording === tracks[0]!.recording)
  return ofOneFile ? tracks[0]!.file_name.replace(/\.[^.]+$/, '') : tracks.map((t) => t.name).join(' / ')
}
