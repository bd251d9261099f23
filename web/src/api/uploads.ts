import { ApiError } from './client'

/** One file on its way. XMLHttpRequest, because fetch tells nothing about what was sent. */
export interface Sending {
  done: Promise<void>
  cancel: () => void
}

export function send(session: string, file: File, chosenAt: number, progress: (part: number) => void): Sending {
  const request = new XMLHttpRequest()
  const done = new Promise<void>((resolve, reject) => {
    request.open('POST', `/api/sessions/${session}/recordings?at=${chosenAt}`)
    request.upload.onprogress = (e) => progress(e.lengthComputable ? e.loaded / Math.max(e.total, 1) : 0)
    request.onload = () => {
      if (request.status < 300) return resolve()
      let message = `The server answered ${request.status}.`
      try {
        message = (JSON.parse(request.responseText) as { message: string }).message
      } catch {
        // Not our server's words; the status has to do.
      }
      reject(new ApiError(message, request.status))
    }
    request.onerror = () => reject(new ApiError(`“${file.name}” could not be sent; the connection broke off. Nothing of it was kept.`, 0))
    request.onabort = () => reject(new ApiError('cancelled', -1))
    const form = new FormData()
    form.append('file', file, file.name)
    request.send(form)
  })
  return { done, cancel: () => request.abort() }
}
