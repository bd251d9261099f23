/// <reference types="vite/client" />
interface Window {
  /** Milliseconds of every paint, while a speed report listens. */
  __mareaPaint?: number[]
  /** Called when the switch to another version has been heard, while a speed report listens. */
  __mareaSwitched?: (at: number) => void
}

declare module '*.vue' {
  import type { DefineComponent } from 'vue'
  const component: DefineComponent<object, object, unknown>
  export default component
}
