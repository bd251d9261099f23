import { ref } from 'vue'

/** The list of keys is open. */
export const keysShown = ref(false)
