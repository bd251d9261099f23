import createClient from 'openapi-fetch'
import type { components, paths } from './schema'

export type Schemas = components['schemas']
export type Session = Schemas['Session']
export type SessionDetail = Schemas['SessionDetail']
export type Track = Schemas['Track']
export type SessionPatch = Schemas['SessionPatch']
export type TrackPatch = Schemas['TrackPatch']
export type Stretch = Schemas['Stretch']
export type DrawnPiece = Schemas['DrawnPiece']
export type Correction = Schemas['Correction']
export type Job = Schemas['Job']
export type PairView = Schemas['PairView']
export type PairMeasurement = Schemas['PairMeasurement']
export type BandGain = Schemas['BandGain']
export type ImageView = Schemas['ImageView']
export type Decision = Schemas['Decision']
export type Desk = Schemas['Desk']
export type DeskPatch = Schemas['DeskPatch']
export type Plans = Schemas['Plans']
export type PlansPatch = Schemas['PlansPatch']
export type DeskGroup = Schemas['Group']
export type LaneDesk = Schemas['LaneDesk']

export const client = createClient<paths>({ baseUrl: '' })

/** A request that was refused, with the server's sentence. */
export class ApiError extends Error {
  constructor(
    message: string,
    readonly status: number,
  ) {
    super(message)
  }
}

interface Answer<T> {
  data?: T
  error?: unknown
  response: Response
}

/** The data of an answer, or an ApiError with the server's sentence. */
export async function ask<T>(answer: Promise<Answer<T>>): Promise<T> {
  let got: Answer<T>
  try {
    got = await answer
  } catch {
    throw new ApiError('The server cannot be reached; nothing was changed.', 0)
  }
  if (!got.response.ok) {
    const said = got.error as { message?: string } | undefined
    throw new ApiError(said?.message ?? `The server answered ${got.response.status}.`, got.response.status)
  }
  return got.data as T
}

/** Sends a small file as it is, and gives the answer; an ApiError with the server's sentence where it was refused. */
export async function sendFile<T>(address: string, file: File): Promise<T> {
  let answer: Response
  try {
    const headers = { 'Content-Type': 'application/octet-stream' }
    answer = await fetch(`${address}?name=${encodeURIComponent(file.name)}`, { method: 'POST', headers, body: file })
  } catch {
    throw new ApiError('The server cannot be reached; nothing was changed.', 0)
  }
  const said = (await answer.json()) as T & { message?: string }
  if (!answer.ok) throw new ApiError(said.message ?? `The server answered ${answer.status}.`, answer.status)
  return said
}
