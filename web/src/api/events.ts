import type { Job } from './client'

export interface EventHandlers {
  job: (job: Job) => void
  changed: (revision: number) => void
  /** A sentence while something is away; null when it is back. */
  trouble: (message: string | null) => void
}

/** Follows a session's events; the browser reconnects by itself. Returns the way to stop. */
export function follow(session: string, on: EventHandlers): () => void {
  let source = connect(session, on)
  // A browser may keep a page that was left, and its connection with it. It opens six to one host: the seventh page would wait.
  const left = () => source.close()
  const back = (e: PageTransitionEvent) => {
    if (e.persisted) source = connect(session, on)
  }
  window.addEventListener('pagehide', left)
  window.addEventListener('pageshow', back)
  return () => {
    window.removeEventListener('pagehide', left)
    window.removeEventListener('pageshow', back)
    source.close()
  }
}

function connect(session: string, on: EventHandlers): EventSource {
  const source = new EventSource(`/api/sessions/${session}/events`)
  const data = (e: Event) => JSON.parse((e as MessageEvent<string>).data) as unknown
  source.addEventListener('job', (e) => on.job(data(e) as Job))
  source.addEventListener('changed', (e) => on.changed(data(e) as number))
  source.addEventListener('trouble', (e) => on.trouble((data(e) as { message: string }).message))
  source.addEventListener('back', () => on.trouble(null))
  source.onopen = () => on.trouble(null)
  source.onerror = () => on.trouble('The connection to the server is lost; trying again. What you see is kept.')
  return source
}
