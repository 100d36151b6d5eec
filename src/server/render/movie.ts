import { spawn, type ChildProcess } from 'node:child_process'
import { once } from 'node:events'
import { rename, rm } from 'node:fs/promises'
import { randomBytes } from 'node:crypto'
import type { Comp } from '../../core/comp/schema.ts'

/** Kinds of movies for review: H.264 in MP4, VP9 in WebM, ProRes 4444 in QuickTime. */
export const movieKinds = ['mp4', 'webm', 'mov'] as const
export type MovieKind = (typeof movieKinds)[number]

export const movieTypes: Readonly<Record<MovieKind, string>> = {
  mp4: 'video/mp4',
  webm: 'video/webm',
  mov: 'video/quicktime',
}

/** What is wrong with a movie that could not be made, in words. */
export class MovieError extends Error {
  override name = 'MovieError'
}

/** Rates that are fractions of 1001 (SMPTE), as exact numbers. */
const fractions: readonly (readonly [number, string])[] = [
  [23.976, '24000/1001'],
  [29.97, '30000/1001'],
  [47.952, '48000/1001'],
  [59.94, '60000/1001'],
  [119.88, '120000/1001'],
]
const rateText = (rate: number) => fractions.find(([r]) => Math.abs(r - rate) < 0.005)?.[1] ?? String(rate)

/** Tagged as BT.709 (or, for P3 screens, with the primaries of SMPTE EG 432-1), in the range of television: what players take untagged sRGB-like codes for (common practice). */
const colour = 'scale=out_color_matrix=bt709:out_range=tv'
const tags = (screen: Comp['screen']) => [
  '-colorspace',
  'bt709',
  '-color_primaries',
  screen === 'p3' ? 'smpte432' : 'bt709',
  '-color_trc',
  screen === 'p3' ? 'iec61966-2-1' : 'bt709',
]
const even = 'pad=ceil(iw/2)*2:ceil(ih/2)*2'
/** With alpha; what shows light over nothing is straight there (common practice). H.264 has none. */
const codecsWithAlpha: Readonly<Partial<Record<MovieKind, readonly string[]>>> = {
  webm: ['-vf', `${even},${colour}`, '-c:v', 'libvpx-vp9', '-deadline', 'good', '-cpu-used', '4', '-crf', '24', '-b:v', '0', '-auto-alt-ref', '0', '-pix_fmt', 'yuva420p'],
  mov: ['-vf', colour, '-c:v', 'prores_ks', '-profile:v', '4444', '-alpha_bits', '16', '-pix_fmt', 'yuva444p10le'],
} // prettier-ignore
export const mayHaveAlpha = (kind: MovieKind): boolean => codecsWithAlpha[kind] !== undefined
const codecs: Readonly<Record<MovieKind, readonly string[]>> = {
  // Both want even sides: a last column or row is repeated.
  mp4: ['-vf', `${even},${colour}`, '-c:v', 'libx264', '-preset', 'veryfast', '-crf', '16', '-pix_fmt', 'yuv420p', '-movflags', '+faststart'],
  webm: ['-vf', `${even},${colour}`, '-c:v', 'libvpx-vp9', '-deadline', 'good', '-cpu-used', '4', '-crf', '24', '-b:v', '0', '-pix_fmt', 'yuv420p'],
  mov: ['-vf', colour, '-c:v', 'prores_ks', '-profile:v', '4444', '-pix_fmt', 'yuv444p10le'],
} // prettier-ignore

/** Writes a movie frame by frame. It is at its place when it is finished, whole; not before. */
export class MovieWriter {
  private readonly child: ChildProcess
  private readonly part: string
  private readonly ended: Promise<void>
  private said = ''
  private hasFailed = false

  /** Sizes in pixels; the rate in frames a second; `hasAlpha` where the kind may have some. */
  constructor(
    private readonly file: string,
    kind: MovieKind,
    private readonly shape: {
      readonly width: number
      readonly height: number
      readonly rate: number
      readonly hasAlpha?: boolean
      /** What its codes were made for. */
      readonly screen?: Comp['screen']
    },
    command = 'ffmpeg',
  ) {
    this.part = `${file}.${randomBytes(4).toString('hex')}.part`
    const { width, height, rate, hasAlpha = false, screen } = shape
    const codec = (hasAlpha ? codecsWithAlpha[kind] : undefined) ?? codecs[kind]
    const input = [
      '-f',
      'rawvideo',
      '-pixel_format',
      'rgba',
      '-video_size',
      `${width}x${height}`,
      '-framerate',
      rateText(rate),
      '-i',
      'pipe:0',
    ]
    const container = { mp4: 'mp4', webm: 'webm', mov: 'mov' }[kind]
    const args = [
      '-hide_banner',
      '-loglevel',
      'error',
      '-y',
      ...input,
      ...codec,
      ...tags(screen),
      '-f',
      container,
      this.part,
    ]
    this.child = spawn(/*turbopackIgnore: true*/ command, args, { stdio: ['pipe', 'ignore', 'pipe'] })
    this.child.stderr!.on('data', (text: Buffer) => {
      this.said = (this.said + text.toString()).slice(-2000)
    })
    this.child.stdin!.on('error', () => {
      this.hasFailed = true
    })
    this.ended = new Promise((resolve, reject) => {
      this.child.on('error', (error: NodeJS.ErrnoException) => {
        this.hasFailed = true
        reject(
          new MovieError(
            error.code === 'ENOENT'
              ? 'Movies are made by ffmpeg, which is not installed here. Install it (apt-get install ffmpeg), then try again.'
              : `ffmpeg could not be started: ${error.message}`,
          ),
        )
      })
      this.child.on('close', (code) => {
        if (code === 0) resolve()
        else {
          const why = this.said.trim().split('\n').at(-1) ?? ''
          const isFull = /No space left/.test(this.said)
          reject(
            new MovieError(
              isFull
                ? 'The disk is full. Make room, then make the movie again.'
                : `ffmpeg made no movie: ${why || `it ended with ${String(code)}`}`,
            ),
          )
        }
      })
    })
    // What fails while frames still come is told by `write` or `finish`.
    this.ended.catch(() => undefined)
  }

  /** Four 8-bit codes a pixel, straight; alpha does not count where the movie has none. Throws MovieError. */
  async write(codes: Uint8Array): Promise<void> {
    const { width, height } = this.shape
    if (codes.length !== width * height * 4)
      throw new MovieError(`A frame of another size came: ${width} × ${height} pixels are wanted.`)
    if (this.hasFailed) return this.ended
    if (!this.child.stdin!.write(codes)) await Promise.race([once(this.child.stdin!, 'drain'), this.ended])
  }

  /** Puts the movie in its place. Throws MovieError. */
  async finish(): Promise<void> {
    this.child.stdin!.end()
    try {
      await this.ended
    } catch (error) {
      await rm(this.part, { force: true })
      throw error
    }
    await rename(this.part, this.file)
  }

  /** Gives up; nothing is left. */
  async drop(): Promise<void> {
    this.child.kill('SIGKILL')
    await this.ended.catch(() => undefined)
    await rm(this.part, { force: true })
  }
}
