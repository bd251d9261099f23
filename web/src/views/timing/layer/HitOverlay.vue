<script setup lang="ts">
import { computed } from 'vue'
import type { Track } from '../../../api/client'
import { SAMPLES, SINGLE, TileCache } from '../../../lanes/tiles'
import { roomBefore } from '../../../lanes/viewport'
import { useSurface } from '../../../plot/surface'
import { useSession } from '../../../session/store'
import { palette } from '../../../shared/theme'
import { between, paintOverlay, type Overlay, type Wave } from './overlay'
import type { Hit } from './plan'

const props = defineProps<{ source: Track; layer: Track; hit: Hit | null; invert: boolean }>()
const store = useSession()
const tiles = new TileCache(
  (lane) => `/api/sessions/${store.id}/tracks/${lane}/tiles/*`,
  () => dirty(),
)

/** A track as recorded, put later by so many frames. */
function wave(track: Track, later: number, sign: number): Wave {
  const sample = (own: number) => {
    if (own < 0 || own >= track.frames) return 0
    const value = tiles.get(track.id, SINGLE, Math.floor(own / SAMPLES))?.[own % SAMPLES]
    return value === undefined ? undefined : sign * value
  }
  return (frame) => between(sample, frame - track.start_frame - later)
}

const placed = (t: Track) => t.correction.offset_frames + t.path_frames
const overlay = computed<Overlay | null>(() => {
  const { hit, source, layer } = props
  if (!hit) return null
  // Without one in the source, the hit itself is the middle.
  const late = hit.late ?? 0
  const at = hit.at + placed(layer) - late
  const before = roomBefore(null, store.rateHz)
  // What the source itself is moved by where it is cut: its hit is heard there.
  const moved = hit.source === null || hit.source === undefined ? placed(source) : at - hit.source
  return {
    at,
    before,
    after: Math.max(5 * before, 1.8 * Math.abs(late)),
    source: wave(source, moved, 1),
    layer: wave(layer, placed(layer), 1),
    set: wave(layer, placed(layer) + hit.by, props.invert ? -1 : 1),
  }
})
const { dirty } = useSurface('canvas', (s) => overlay.value && paintOverlay(s, palette(), store.rateHz, overlay.value), [overlay])
</script>

<template>
  <figure>
    <figcaption><b>The hit</b> <span class="soft">filled: source; dots: as recorded; line: as set</span></figcaption>
    <canvas ref="canvas" role="img" aria-label="The chosen hit of the source with its double, before and after" data-test="hit-overlay" />
  </figure>
</template>
