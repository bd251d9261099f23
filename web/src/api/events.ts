import type { Job } from './client'

export interface EventHandlers {
  job: (job: Job) => void
  changed: (revision: number) => void
  /** A sentence while something is away; null when it is back. */
  trouble: (message: string | null) => void
}

/** Follows a session's events; the browser reconnects by itself. Returns the way to stop. */
export function follow(session: string, on: EventHandlers): () => void {
  const source = new EventSource(`/api/sessions/${session}/events`)
  const data = (e: Event) => JSON.parse((e as MessageEvent<string>).data) as unknown
  source.addEventListener('job', (e) => on.job(data(e) as Job))
  source.addEventListener('changed', (e) => on.changed(data(e) as number))
  source.addEventListener('trouble', (e) => on.trouble((data(e) as { message: string }).message))
  source.addEventListener('back', () => on.trouble(null))
  source.onopen = () => on.trouble(null)
  source.onerror = () => on.trouble('The connection to the server is lost; trying again. What you see is kept.')
  return () => source.close()
}
