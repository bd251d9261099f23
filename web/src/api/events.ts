import type { Job } from './client'

export interface EventHandlers {
  job: (job: Job) => void
  changed: (revision: number) => void
  /** A sentence while something is away; null when it is back. */
  trouble: (message: string | null) => void
  /** The server answered with something else than events: the session may be gone. */
  refused: () => void
}

/** Pause before a new connection where the browser makes none, in ms. */
const ANEW_MS = 2000

/** Follows a session's events; a lost connection is made again. Returns the way to stop. */
export function follow(session: string, on: EventHandlers): () => void {
  let source: EventSource | null = null
  let later = 0

  function connect(): void {
    const made = new EventSource(`/api/sessions/${session}/events`)
    const data = (e: Event) => JSON.parse((e as MessageEvent<string>).data) as unknown
    made.addEventListener('job', (e) => on.job(data(e) as Job))
    made.addEventListener('changed', (e) => on.changed(data(e) as number))
    made.addEventListener('trouble', (e) => on.trouble((data(e) as { message: string }).message))
    made.addEventListener('back', () => on.trouble(null))
    made.onopen = () => on.trouble(null)
    made.onerror = () => {
      on.trouble('The connection to the server is lost; trying again. What you see is kept.')
      // After an answer other than "here it comes", such as "the database is away", a browser gives up for good.
      if (made.readyState !== EventSource.CLOSED) return
      later = window.setTimeout(connect, ANEW_MS)
      on.refused()
    }
    source = made
  }

  function stop(): void {
    window.clearTimeout(later)
    source?.close()
  }

  // A browser may keep a page that was left, and its connection with it. It opens six to one host: the seventh page would wait.
  const back = (e: PageTransitionEvent) => {
    if (e.persisted) connect()
  }
  connect()
  window.addEventListener('pagehide', stop)
  window.addEventListener('pageshow', back)
  return () => {
    window.removeEventListener('pagehide', stop)
    window.removeEventListener('pageshow', back)
    stop()
  }
}
