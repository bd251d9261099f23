<script setup lang="ts">
import type { Schemas } from '../../api/client'
import { fixed } from '../../shared/units'

defineProps<{ proof: Schemas['ProofFound']; current: boolean }>()
const db = (v: number | null | undefined) => (v === null || v === undefined ? 'nothing' : `${fixed(v, 1)} dB`)
</script>

<template>
  <h2>Read back</h2>
  <p v-if="!current" class="soft">When the server has cut it anew.</p>
  <dl v-else data-test="proof" :data-lost="proof.lost.length" :data-doubled="proof.doubled.length">
    <dt>attacks</dt>
    <dd class="mono">{{ proof.attacks }}</dd>
    <dt>lost</dt>
    <dd class="mono" :class="{ undecided: proof.lost.length > 0 }">{{ proof.lost.length }}</dd>
    <dt>doubled</dt>
    <dd class="mono" :class="{ undecided: proof.doubled.length > 0 }">{{ proof.doubled.length }}</dd>
    <dt title="What the worst join adds, against the level about it">joins add</dt>
    <dd class="mono">{{ db(proof.worst_join_db) }}</dd>
    <dt title="Left outside of joins when the recording, moved, is taken from what plays">elsewhere</dt>
    <dd class="mono">{{ db(proof.null_db) }}</dd>
  </dl>
</template>
