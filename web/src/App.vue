<script setup lang="ts">
import KeysDialog from './frame/KeysDialog.vue'
</script>

<template>
  <router-view />
  <KeysDialog />
</template>
