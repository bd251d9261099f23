<script setup lang="ts">
import DropAnywhere from './frame/DropAnywhere.vue'
import KeysDialog from './frame/KeysDialog.vue'
</script>

<template>
  <router-view />
  <KeysDialog />
  <DropAnywhere />
</template>
