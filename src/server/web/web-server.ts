// The web server: Next.js behind a guard that knows whom it serves.  node dist/web-server.mjs, settings by environment
import { randomBytes } from 'node:crypto'
import { readFileSync } from 'node:fs'
import { createServer, type IncomingMessage, type RequestListener, type ServerResponse } from 'node:http'
import { createServer as createTlsServer } from 'node:https'
import { parse as parseQuery } from 'node:querystring'
import next from 'next'
import { clearComing } from '../farm/dispatch.ts'
import { frameQueue, serveFarm } from '../farm/farm-http.ts'
import { farmPath } from '../farm/messages.ts'
import { keepFed } from '../farm/feed.ts'
import { folders, home } from '../home.ts'
import { enteredPage, enterPage } from './enter-page.ts'
import { hostsOf, isLoopback, protectiveHeaders, refusal, type GuardSettings } from './guard.ts'
import { Door, keysFile } from './keys.ts'
import { loggerOf } from '../log.ts'
import { isPassPath, servePass } from './passes.ts'
import { clearUploads, serveUpload, uploadsPath } from './uploads.ts'

const {
  ZAFIRO_HOST: host = '127.0.0.1',
  ZAFIRO_PORT: port = '4310',
  ZAFIRO_TLS_CERT: cert,
  ZAFIRO_TLS_KEY: tlsKey,
} = process.env
const log = loggerOf('web server')
const isDevelopment = process.env.NODE_ENV === 'development'
const isTls = cert !== undefined && tlsKey !== undefined
const settings: GuardSettings = { hosts: hostsOf(host), isTls }
const door = isLoopback(host) ? undefined : new Door(keysFile(home))
const cookieName = 'zafiro-key'
/** A server that is given another's port ends with this status. */
const portTaken = 98

function sayProblem(response: ServerResponse, status: number, message: string): void {
  response.writeHead(status, { 'content-type': 'application/json' })
  response.end(JSON.stringify({ error: { message } }))
}

function cookieOf(request: IncomingMessage): string | undefined {
  const parts = (request.headers.cookie ?? '').split(';').map((part) => part.trim())
  return parts.find((part) => part.startsWith(`${cookieName}=`))?.slice(cookieName.length + 1)
}

/** A form's fields; undefined for a body that is too long for one. */
async function readForm(request: IncomingMessage): Promise<Record<string, unknown> | undefined> {
  let text = ''
  for await (const part of request) {
    text += String(part)
    if (text.length > 4000) return undefined
  }
  return parseQuery(text)
}

/** Asks for a key; true when the request has been answered. */
async function isKeptOut(
  request: IncomingMessage,
  response: ServerResponse,
  nonce: string,
): Promise<boolean> {
  if (!door) return false
  const path = (request.url ?? '/').split('?')[0]
  const from = request.socket.remoteAddress ?? ''
  const page = (status: number, html: string, more: Record<string, string> = {}) => {
    response.writeHead(status, {
      'content-type': 'text/html; charset=utf-8',
      'cache-control': 'no-store',
      ...more,
    })
    response.end(html)
  }
  const tired = 'There were too many wrong tries. Wait a minute.'
  if (path === '/enter' && request.method === 'POST') {
    const given = (await readForm(request))?.['key']
    const isTired = door.isTired(from)
    const key = typeof given === 'string' ? door.find(given.trim(), from) : undefined
    if (!key) {
      page(
        isTired ? 429 : 401,
        enterPage(nonce, isTired ? tired : 'This is no valid key. It may have been withdrawn.'),
      )
      return true
    }
    door.noteUse(key.id)
    const kept = `${cookieName}=${String(given).trim()}; Path=/; Max-Age=31536000; HttpOnly; SameSite=Strict${isTls ? '; Secure' : ''}`
    page(200, enteredPage(), { 'set-cookie': kept })
    return true
  }
  if (path === '/enter') {
    page(200, enterPage(nonce))
    return true
  }
  // The start asks whether the server answers; it says nothing else to strangers.
  if (path === '/api/health' && request.method === 'GET') return false
  // Programs give their key as RFC 6750 says; pages have it in a cookie.
  const bearer = /^Bearer (\S+)$/.exec(request.headers.authorization ?? '')?.[1]
  const cookie = bearer ?? cookieOf(request)
  const found = cookie === undefined ? undefined : door.find(cookie, from)
  if (found) {
    if (found.usedAt === undefined) door.noteUse(found.id)
    return false
  }
  if (cookie !== undefined && door.isTired(from)) sayProblem(response, 429, tired)
  else if ((path ?? '').startsWith('/api/') || path?.startsWith('/_next/'))
    sayProblem(response, 401, 'This needs a key. Open /enter and give one.')
  else page(401, enterPage(nonce))
  return true
}

const app = next({ dev: isDevelopment, dir: process.cwd(), hostname: host, port: Number(port) })
const handle = app.getRequestHandler()

async function serve(request: IncomingMessage, response: ServerResponse): Promise<void> {
  const nonce = randomBytes(16).toString('base64')
  const headers = protectiveHeaders(nonce, isDevelopment)
  for (const [name, value] of Object.entries(headers)) response.setHeader(name, value)
  const refused = refusal(
    { method: request.method ?? 'GET', url: request.url ?? '/', headers: request.headers },
    settings,
  )
  if (refused) {
    sayProblem(response, refused.status, refused.message)
    return
  }
  if (await isKeptOut(request, response, nonce)) return
  const path = (request.url ?? '/').split('?')[0]!
  if (path === uploadsPath || path.startsWith(`${uploadsPath}/`)) {
    await serveUpload(request, response)
    return
  }
  if (isPassPath(path)) {
    await servePass(request, response)
    return
  }
  if (path.startsWith(`${farmPath}/`)) {
    await serveFarm(request, response)
    return
  }
  // Next.js takes the nonce for its own scripts from the request.
  request.headers['content-security-policy'] = headers['content-security-policy']
  await handle(request, response)
}

const listener: RequestListener = (request, response) => {
  serve(request, response).catch((error: unknown) => {
    log.error(error)
    if (response.headersSent) response.destroy()
    else
      sayProblem(
        response,
        500,
        'Something went wrong on the server; its output and the folder of its notes (log) say more.',
      )
  })
}

await app.prepare()
const server = isTls
  ? createTlsServer({ cert: readFileSync(cert), key: readFileSync(tlsKey) }, listener)
  : createServer(listener)
// A large file may be on its way for hours; a connection that says nothing for long is closed.
server.requestTimeout = 0
server.headersTimeout = 60_000
server.timeout = 600_000
if (isDevelopment) {
  const upgrade = app.getUpgradeHandler()
  server.on('upgrade', (request, socket, head: Buffer) => {
    if (refusal({ method: 'GET', url: request.url ?? '/', headers: request.headers }, settings))
      socket.destroy()
    else void upgrade(request, socket, head)
  })
}
server.on('error', (error: NodeJS.ErrnoException) => {
  log.fatal(error.message)
  process.exit(error.code === 'EADDRINUSE' ? portTaken : 1)
})
server.listen(Number(port), host)

if (process.env['ZAFIRO_QUEUE']) void keepFed(frameQueue(), () => false)

const hourMs = 3600e3
const clear = () => {
  Promise.all([clearUploads(folders.uploads), clearComing()]).catch((error: unknown) => {
    log.error(error)
  })
}
clear()
setInterval(clear, hourMs).unref()

for (const signal of ['SIGINT', 'SIGTERM'] as const)
  process.on(signal, () => {
    server.close(() => process.exit(0))
    server.closeIdleConnections()
    setTimeout(() => process.exit(0), 1500).unref()
  })
