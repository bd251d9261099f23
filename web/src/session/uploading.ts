import { computed, reactive } from 'vue'
import { send, type Sending } from '../../api/uploads'

export interface Upload {
  key: number
  name: string
  bytes: number
  part: number
  state: 'waiting' | 'sending' | 'sent' | 'failed' | 'cancelled'
  message: string
}

/** Files sent at the same time: two keep the line full, more only make each slower. */
const AT_ONCE = 2

/** Uploads outlive the view: leaving it does not stop them. */
const list = reactive<Upload[]>([])
const files = new Map<number, { file: File; session: string; chosenAt: number; sending?: Sending }>()
let next = 0
let active = 0

function pump(): void {
  while (active < AT_ONCE) {
    const upload = list.find((u) => u.state === 'waiting')
    const entry = upload && files.get(upload.key)
    if (!upload || !entry) return
    active += 1
    upload.state = 'sending'
    entry.sending = send(entry.session, entry.file, entry.chosenAt, (part) => (upload.part = part))
    entry.sending.done
      .then(() => {
        upload.state = 'sent'
        upload.part = 1
      })
      .catch((e: Error & { status?: number }) => {
        upload.state = e.status === -1 ? 'cancelled' : 'failed'
        upload.message = e.status === -1 ? '' : e.message
      })
      .finally(() => {
        files.delete(upload.key)
        active -= 1
        pump()
      })
  }
}

export function useUploads(): {
  list: Upload[]
  busy: { readonly value: boolean }
  total: { readonly value: number }
  add: (session: string, chosen: Iterable<File>) => void
  cancel: (upload: Upload) => void
  cancelAll: () => void
  clear: () => void
} {
  const open = () => list.filter((u) => u.state !== 'cancelled' && u.state !== 'failed')
  const cancel = (upload: Upload) => {
    if (upload.state === 'waiting') {
      upload.state = 'cancelled'
      files.delete(upload.key)
    } else files.get(upload.key)?.sending?.cancel()
  }
  return {
    list,
    busy: computed(() => list.some((u) => u.state === 'waiting' || u.state === 'sending')),
    total: computed(() => {
      const all = open().reduce((n, u) => n + u.bytes, 0)
      return all === 0 ? 0 : open().reduce((n, u) => n + u.bytes * u.part, 0) / all
    }),
    add(session, chosen) {
      const now = Date.now()
      let place = 0
      for (const file of chosen) {
        const key = next++
        files.set(key, { file, session, chosenAt: now + place++ })
        list.push({ key, name: file.name, bytes: file.size, part: 0, state: 'waiting', message: '' })
      }
      pump()
    },
    cancel,
    cancelAll: () => list.forEach(cancel),
    clear: () => list.splice(0, list.length, ...list.filter((u) => u.state === 'waiting' || u.state === 'sending')),
  }
}
