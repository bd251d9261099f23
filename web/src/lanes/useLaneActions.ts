import type { TrackPatch } from '../api/client'
import type { Group } from '../session/deskRules'
import { useSession } from '../session/store'
import { tellTrouble } from '../shared/notice'
import { fixed, noOffset, parseOffset, samples } from '../shared/units'

/** What can be done to a track where its lane is. A file's channels and a group that moves together come along, and it is said. */
export function useLaneActions() {
  const store = useSession()

  /** Who comes along when a track is moved, in words. */
  function along(id: string): string {
    const t = store.track(id)
    const group = store.desk.group(id)
    if (group?.together && group.tracks.length > 1) return `, the others of “${group.name}” moved with it`
    const mates = t?.link_id ? store.tracks.filter((o) => o.link_id === t.link_id).length - 1 : 0
    return mates > 0 ? `, ${mates} more of its file moved with it` : ''
  }

  function read(text: string): number | null {
    const value = parseOffset(text, store.measure, store.unit)
    if (value === null) tellTrouble(noOffset(text))
    return value
  }

  async function place(id: string, text: string): Promise<void> {
    const t = store.track(id)
    const value = read(text)
    if (t && value !== null && value !== t.correction.offset_frames)
      await store.decide(`${t.name}: offset typed as ${text}${along(id)}`, [{ track_id: id, after: { offset_frames: value } }], true)
  }

  async function gain(id: string, text: string): Promise<void> {
    const t = store.track(id)
    const value = Number(text.replace(',', '.').replace('\u2212', '-'))
    if (!t) return
    if (!Number.isFinite(value)) tellTrouble(`“${text}” is no gain in dB.`)
    else if (value !== t.correction.gain_db)
      await store.decide(`${t.name}: gain ${fixed(value, 1)} dB`, [{ track_id: id, after: { gain_db: value } }])
  }

  async function flip(id: string): Promise<void> {
    const t = store.track(id)
    // Seen when its turn comes: pressed twice it is upright again.
    if (t)
      await store.decide(`${t.name}: polarity flipped`, () => [{ track_id: id, after: { invert: !store.track(id)?.correction.invert } }])
  }

  /** The same for every member of a group, as one decision. */
  async function all(group: Group, label: string, after: (offset: number, invert: boolean) => TrackPatch): Promise<void> {
    const members = store.tracks.filter((t) => group.tracks.includes(t.id))
    await store.decide(
      `${group.name}: ${label}`,
      members.map((t) => ({ track_id: t.id, after: after(t.correction.offset_frames, t.correction.invert) })),
    )
  }

  async function moveGroup(group: Group, text: string): Promise<void> {
    const by = read(text)
    if (by !== null && by !== 0)
      await all(group, `moved by ${samples(Math.round(by * 100) / 100)} samples`, (offset) => ({ offset_frames: offset + by }))
  }

  const flipGroup = (group: Group) => all(group, 'inverted', (_, invert) => ({ invert: !invert }))

  return { along, place, gain, flip, moveGroup, flipGroup }
}
