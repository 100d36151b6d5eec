import type { IncomingHttpHeaders } from 'node:http'
import { hostname, networkInterfaces } from 'node:os'

/** What the guard needs to know of a request. */
export interface GuardedRequest {
  readonly method: string
  readonly url: string
  readonly headers: IncomingHttpHeaders
}
export interface GuardSettings {
  /** Host names under which this server may be asked, lower case, without port. */
  readonly hosts: ReadonlySet<string>
  readonly isTls: boolean
}
export interface Refused {
  readonly status: number
  readonly message: string
}

const loopback = ['localhost', '127.0.0.1', '[::1]']
const isWildcard = (host: string) => host === '0.0.0.0' || host === '::' || host === '[::]'

/** Whether only programs of this machine can reach a server that listens there. */
export const isLoopback = (host: string): boolean => host === '::1' || loopback.includes(host)

/** Names under which a server that listens on `host` is reached; all of this machine's where it listens everywhere. */
export function hostsOf(host: string): Set<string> {
  const bracketed = (address: string) => (address.includes(':') ? `[${address}]` : address)
  const own = isWildcard(host)
    ? [
        hostname(),
        `${hostname()}.local`,
        ...Object.values(networkInterfaces()).flatMap((all) => (all ?? []).map((i) => i.address)),
      ]
    : [host]
  return new Set([...loopback, ...own.map((h) => bracketed(h).toLowerCase())])
}

/** The name in a Host header without its port, lower case; undefined for what is none. */
export function hostName(header: string | undefined): string | undefined {
  const found = /^(\[[0-9a-fA-F:.]+\]|[A-Za-z0-9._-]+)(?::\d{1,5})?$/.exec(header ?? '')
  return found?.[1]?.toLowerCase()
}

const isSafe = (method: string) => method === 'GET' || method === 'HEAD'

/**
 * Why a request is not for this server, or comes from the page of a stranger; undefined where it may pass. A name that is not ours
 * means that a stranger's name was pointed here (DNS rebinding). Browsers say with Origin (RFC 6454) and Sec-Fetch-Site (W3C Fetch
 * Metadata) whose page asks; programs that are no browsers send neither.
 */
export function refusal(
  { method, url, headers }: GuardedRequest,
  settings: GuardSettings,
): Refused | undefined {
  const host = hostName(headers.host)
  if (host === undefined || !settings.hosts.has(host))
    return {
      status: 421,
      message: `This server does not answer to the name ${JSON.stringify(headers.host ?? '')}. Use the address that the start printed.`,
    }
  try {
    decodeURIComponent(url)
  } catch {
    return { status: 400, message: 'The address holds a % that begins no character; write it as %25.' }
  }
  const { origin } = headers
  const site = headers['sec-fetch-site']
  const isOwn = (site ?? 'same-origin') === 'same-origin' || site === 'none'
  if (!isSafe(method)) {
    const own = `${settings.isTls ? 'https' : 'http'}://${headers.host ?? ''}`
    if ((origin !== undefined && origin.toLowerCase() !== own.toLowerCase()) || !isOwn)
      return { status: 403, message: 'Only pages of this server may change something here.' }
    return undefined
  }
  // A page may be opened from anywhere, but nothing of it may be read or shown inside another one.
  const isOpened = headers['sec-fetch-mode'] === 'navigate' && headers['sec-fetch-dest'] === 'document'
  if (!isOwn && (!isOpened || url.startsWith('/api/')))
    return { status: 403, message: 'Only pages of this server may read this.' }
  return undefined
}

/** Headers that every answer carries. `nonce` marks the scripts and styles of this one answer. */
export function protectiveHeaders(nonce: string, isDevelopment = false): Readonly<Record<string, string>> {
  const policy = [
    "default-src 'self'",
    // Kernels are compiled from WebAssembly.
    `script-src 'self' 'nonce-${nonce}' 'strict-dynamic' 'wasm-unsafe-eval'${isDevelopment ? " 'unsafe-eval'" : ''}`,
    // Places and sizes on screen are style attributes; style sheets come from here only.
    "style-src-attr 'unsafe-inline'",
    `style-src-elem 'self' ${isDevelopment ? "'unsafe-inline'" : `'nonce-${nonce}'`}`,
    "img-src 'self' blob: data:",
    "font-src 'self'",
    `connect-src 'self'${isDevelopment ? ' ws:' : ''}`,
    "worker-src 'self' blob:",
    "object-src 'none'",
    "base-uri 'none'",
    "form-action 'self'",
    "frame-ancestors 'none'",
  ].join('; ')
  return {
    'content-security-policy': policy,
    'x-content-type-options': 'nosniff',
    'x-frame-options': 'DENY',
    'referrer-policy': 'same-origin',
    // Cross-origin isolation: the engine's workers share one memory.
    'cross-origin-opener-policy': 'same-origin',
    'cross-origin-embedder-policy': 'require-corp',
    'cross-origin-resource-policy': 'same-origin',
    'permissions-policy': 'camera=(), microphone=(), geolocation=(), payment=(), usb=()',
  }
}
