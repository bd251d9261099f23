<script setup lang="ts">
import DropAnywhere from './frame/DropAnywhere.vue'
import KeysDialog from './frame/KeysDialog.vue'
import ViewFailed from './frame/ViewFailed.vue'
</script>

<template>
  <ViewFailed />
  <router-view />
  <KeysDialog />
  <DropAnywhere />
</template>
