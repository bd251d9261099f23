import type { Track } from '../api/client'
import { useChecked } from '../session/checked'
import { useSession } from '../session/store'
import { span } from '../shared/units'

/** What the check knows of a track's path, for the columns of the lanes. */
export interface PathFacts {
  policy: (t: Track) => string
  latency: (t: Track) => string
}

/** Asked for only while one of these columns is shown; the check's own view says what is wrong with it. */
export function usePathFacts(): PathFacts {
  const store = useSession()
  const { check } = useChecked(() => store.desk.state.columns.some((c) => c === 'latency' || c === 'policy'), true)

  const advice = (t: Track) => {
    const at = check.value?.tracks.indexOf(t.id) ?? -1
    return at < 0 ? undefined : check.value?.advice[at]
  }
  return {
    policy: (t) => t.policy || (advice(t)?.policy ?? ''),
    latency: (t) => {
      if (t.path_frames !== 0) return `${span(t.path_frames, store.unit, store.measure)} for its path`
      const a = advice(t)
      return a
        ? a.latency_frames
          ? span(a.latency_frames, store.unit, store.measure).replace(/ (samples|quarters)$/, '')
          : 'none found'
        : ''
    },
  }
}
