import { computed, reactive } from 'vue'
import type { Schemas } from '../api/client'
import { announce, forget, send, type Sending } from '../api/uploads'

export interface Upload {
  key: number
  session: string
  name: string
  bytes: number
  part: number
  state: 'waiting' | 'sending' | 'sent' | 'failed' | 'cancelled'
  /** The server is away: it goes on by itself. */
  away: boolean
  message: string
  /** The job that reads it. */
  job: string
}

type Announced = Schemas['Upload']

/** Files sent at the same time: two keep the line full, more only make each slower. */
const AT_ONCE = 2
/** Pause in milliseconds before a file is announced again that could not be. */
const AGAIN_MS = 3000

/** Uploads outlive the view: leaving it does not stop them. */
const list = reactive<Upload[]>([])
const files = new Map<number, { file: File; chosenAt: number; address: string; sending?: Sending }>()
let next = 0
let active = 0

const onTheWay = (u: Upload) => u.state === 'waiting' || u.state === 'sending'

function pump(): void {
  while (active < AT_ONCE) {
    const upload = list.find((u) => u.state === 'waiting' && files.get(u.key)?.address)
    const entry = upload && files.get(upload.key)
    if (!upload || !entry) return
    active += 1
    upload.state = 'sending'
    entry.sending = send(
      entry.address,
      entry.file,
      (part) => (upload.part = part),
      (is) => (upload.away = is),
    )
    entry.sending.done
      .then((job) => {
        Object.assign(upload, { state: 'sent', part: 1, job, away: false })
      })
      .catch((e: Error) => {
        if (upload.state !== 'cancelled') Object.assign(upload, { state: 'failed', message: e.message, away: false })
      })
      .finally(() => ended(upload))
  }
}

function ended(upload: Upload): void {
  files.delete(upload.key)
  active -= 1
  pump()
}

/** All are announced before any is sent: the check waits for every one of them, also when the page is left. */
async function announceAll(session: string, keys: number[], known: Announced[]): Promise<void> {
  const mine = [...known]
  for (const key of keys) {
    const [upload, entry] = [list.find((u) => u.key === key), files.get(key)]
    if (!upload || !entry) continue
    // Announced before by a page that was left: it goes on where it stopped.
    const at = mine.findIndex((a) => a.file_name === entry.file.name && a.bytes === entry.file.size)
    if (at >= 0) {
      entry.address = `/api/uploads/${mine.splice(at, 1)[0]!.id}`
      continue
    }
    while (entry.address === '' && upload.state === 'waiting') {
      try {
        entry.address = await announce(session, entry.file, entry.chosenAt)
        upload.away = false
      } catch (e) {
        if ((e as { status: number }).status !== 0) {
          Object.assign(upload, { state: 'failed', message: (e as Error).message })
          files.delete(key)
          break
        }
        upload.away = true
        await new Promise((go) => setTimeout(go, AGAIN_MS))
      }
    }
    pump()
  }
  pump()
}

// Leaving would end what is on its way; the browser asks first.
if (typeof window !== 'undefined') {
  window.addEventListener('beforeunload', (e) => {
    if (list.some(onTheWay)) e.preventDefault()
  })
}

export function useUploads() {
  const counted = () => list.filter((u) => u.state !== 'cancelled' && u.state !== 'failed')
  const cancel = (upload: Upload) => {
    if (!onTheWay(upload)) return
    const entry = files.get(upload.key)
    upload.state = 'cancelled'
    entry?.sending?.cancel()
    if (entry?.address) void forget(entry.address)
    if (entry?.sending) ended(upload)
    else files.delete(upload.key)
  }
  return {
    list,
    busy: computed(() => list.some(onTheWay)),
    sent: computed(() => counted().filter((u) => u.state === 'sent').length),
    total: computed(() => {
      const all = counted().reduce((n, u) => n + u.bytes, 0)
      return all === 0 ? 0 : counted().reduce((n, u) => n + u.bytes * u.part, 0) / all
    }),
    /** `known`: what the session waits for already; a file of the same name and length goes on there. */
    add(session: string, chosen: Iterable<File>, known: Announced[] = []) {
      const now = Date.now()
      const keys: number[] = []
      for (const file of chosen) {
        const key = next++
        keys.push(key)
        files.set(key, { file, chosenAt: now + keys.length, address: '' })
        list.push({ key, session, name: file.name, bytes: file.size, part: 0, state: 'waiting', away: false, message: '', job: '' })
      }
      void announceAll(
        session,
        keys,
        known.filter((a) => ![...files.values()].some((f) => f.address.endsWith(a.id))),
      )
    },
    /** Files that a page announced which is gone: nobody sends them now. */
    left: (announced: Announced[]) =>
      announced.filter((a) => !list.some((u) => onTheWay(u) && u.name === a.file_name && u.bytes === a.bytes)),
    cancel,
    cancelAll: () => list.forEach(cancel),
    clear: () => list.splice(0, list.length, ...list.filter(onTheWay)),
  }
}
