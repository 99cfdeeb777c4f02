/** An answer that is no success: what happened, to what, what to do. */
export class ApiError extends Error {
  constructor(readonly status: number, readonly code: string, message: string, readonly details: Record<string, unknown>) {
    super(message)
  }
}

let token = ''
let onSignedOut: () => void = () => {}
export const setToken = (csrf: string): void => { token = csrf }
export const whenSignedOut = (action: () => void): void => { onSignedOut = action }

type Query = Record<string, string | number | undefined>

/** The currency of the page's address, which every question carries; empty for the reporting currency. */
const askedCurrency = (): string => new URLSearchParams(location.search).get('currency') ?? ''
const currencyHeader = (): Record<string, string> => { const currency = askedCurrency(); return currency ? { 'abacus-currency': currency } : {} }

/** The address of a file to load down. */
export const fileAddress = (path: string, query: Query = {}): string => address(path, { ...query, currency: askedCurrency() || undefined })

export const address = (path: string, query: Query = {}): string => {
  const given = Object.entries(query).filter(([, value]) => value !== undefined).map(([name, value]) => [name, String(value)])
  return given.length > 0 ? `${path}?${new URLSearchParams(given)}` : path
}

async function answerOf<T>(response: Response): Promise<T> {
  const body = (await response.json().catch(() => ({}))) as Record<string, unknown>
  if (response.ok) return body as T
  if (response.status === 401 && body.code === 'NOT_SIGNED_IN') onSignedOut()
  throw new ApiError(response.status, String(body.code ?? ''), String(body.message ?? `The server answered ${response.status}.`), body)
}

async function ask(path: string, init: RequestInit): Promise<Response> {
  try {
    return await fetch(path, { credentials: 'same-origin', ...init })
  } catch (error) {
    if ((error as Error).name === 'AbortError') throw error
    throw new ApiError(0, 'NO_SERVER', 'The server does not answer. What you typed is still here; try again when it is back.', {})
  }
}

export const get = async <T>(path: string, query: Query = {}, signal?: AbortSignal): Promise<T> => answerOf<T>(await ask(address(path, query), { signal: signal ?? null, headers: currencyHeader() }))

export const send = async <T>(method: 'POST' | 'PUT' | 'DELETE', path: string, body?: unknown, signal?: AbortSignal): Promise<T> =>
  answerOf<T>(await ask(path, {
    method, signal: signal ?? null, headers: { 'csrf-token': token, ...currencyHeader(), ...(body === undefined ? {} : { 'content-type': 'application/json' }) },
    ...(body === undefined ? {} : { body: JSON.stringify(body) }),
  }))

/** Sends a file and tells how much of it has gone; XMLHttpRequest, since fetch cannot tell. */
export function sendFile<T>(path: string, file: File, onProgress: (sent: number) => void): { done: Promise<T>; abort: () => void } {
  const request = new XMLHttpRequest()
  const done = new Promise<T>((resolve, reject) => {
    request.upload.onprogress = ({ loaded }) => onProgress(loaded)
    request.onerror = () => reject(new ApiError(0, 'NO_SERVER', 'The server does not answer; the file was not sent.', {}))
    request.onabort = () => reject(new ApiError(0, 'ABORTED', 'Sending was stopped; nothing was taken.', {}))
    request.onload = () => {
      const body = JSON.parse(request.responseText || '{}') as Record<string, unknown>
      if (request.status < 300) resolve(body as T)
      else reject(new ApiError(request.status, String(body.code), String(body.message), body))
    }
  })
  const form = new FormData()
  form.append('file', file)
  request.open('POST', path)
  request.setRequestHeader('csrf-token', token)
  request.send(form)
  return { done, abort: () => request.abort() }
}
