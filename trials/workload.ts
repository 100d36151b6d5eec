import { setTimeout as sleep } from 'node:timers/promises'
import { addLane, addStep, emptyComp } from '../src/core/comp/edits.ts'
import type { Comp } from '../src/core/comp/schema.ts'
import { writeExr } from '../src/core/formats/exr-write.ts'
import { writePng } from '../src/core/formats/png.ts'
import { numberToHalf } from '../src/core/picture/half.ts'
import { nodeZlib } from '../src/server/media/node-zlib.ts'
import { hashOf, type Client } from './client.ts'
import { mutate } from './mutate.ts'
import type { Random } from './random.ts'

/** Everything that the server has said it keeps. */
export interface Acknowledged {
  /** By shot: number of the save, by revision. */
  readonly saves: Map<string, Map<number, number>>
  readonly imports: {
    readonly shot: string
    readonly file: string
    readonly frame: number
    readonly hash: string
  }[]
  readonly stills: { readonly shot: string; readonly id: string; readonly hash: string }[]
  readonly thumbnails: Map<string, string>
  readonly shots: string[]
  readonly renders: string[]
}

export const nothingYet = (): Acknowledged => ({
  saves: new Map(),
  imports: [],
  stills: [],
  thumbnails: new Map(),
  shots: [],
  renders: [],
})

const idOf = (data: unknown) => (data as { id: string }).id
const numbered = (n: number) =>
  addLane(emptyComp(64, 36), `save ${n}`, { type: 'colour', colour: [0, 0.2, 1], alpha: 1 })
export const saveNumber = (comp: Comp): number =>
  Number(/^save (\d+)$/.exec(comp.lanes[0]?.name ?? '')?.[1] ?? -1)

/** An RGBA picture whose bytes no other call gives. */
export function frameFile(width: number, height: number, salt: number): Uint8Array {
  const half = (k: number) => {
    const values = Uint16Array.from({ length: width * height }, (_, i) =>
      numberToHalf(((i * (k + 1)) % 97) / 60),
    )
    values[0] = numberToHalf(salt % 2000)
    values[1] = numberToHalf(Math.floor(salt / 2000))
    return values
  }
  return writeExr(
    {
      dataWindow: [0, 0, width - 1, height - 1],
      displayWindow: [0, 0, width - 1, height - 1],
      compression: 'none',
      channels: ['R', 'G', 'B', 'A'].map((name, k) => ({
        name,
        type: 'half' as const,
        values: name === 'A' ? new Uint16Array(width * height).fill(0x3c00) : half(k),
      })),
    },
    nodeZlib,
  )
}

function smallPng(salt: number): Uint8Array {
  const codes = Uint8Array.from({ length: 16 * 9 * 4 }, (_, i) => (i % 4 === 3 ? 255 : (i * 13) % 256))
  codes.set([salt & 255, (salt >> 8) & 255, (salt >> 16) & 255])
  return writePng(16, 9, codes)
}

/** People at work, until told to stop. Each one only counts as kept what the server has said yes to. */
export class Workload {
  readonly kept = nothingYet()
  isOver = false
  /** Attempts that were answered with something else than yes. */
  refused = 0
  private salt = 0

  constructor(
    private readonly client: Client,
    private readonly random: Random,
  ) {}

  private over = (): boolean => this.isOver
  private nextSalt = () => ++this.salt

  /** A shot of its own for a worker; asked for until it is there. */
  private async shot(): Promise<string> {
    while (!this.isOver) {
      const answer = await this.client.ask('POST', '/api/shots', frameFile(48, 27, this.nextSalt()), {
        'x-file-name': `begin ${this.salt}.exr`,
      })
      if (answer.status === 200) {
        this.kept.shots.push(idOf(answer.data))
        return idOf(answer.data)
      }
      await sleep(400)
    }
    return ''
  }

  /** Saves one comp after the other as a page does. */
  async save(): Promise<void> {
    const id = await this.shot()
    const saves = new Map<number, number>()
    this.kept.saves.set(id, saves)
    let [base, n] = [1, 0]
    while (!this.isOver) {
      n++
      const comp = numbered(n)
      for (;;) {
        const answer = await this.client.ask('PUT', `/api/shots/${id}/comp`, { base, comp })
        if (answer.status === 200) {
          base = (answer.data as { revision: number }).revision
          saves.set(base, n)
          break
        }
        this.refused++
        if (this.over()) return
        if (answer.status === 409) base = (answer.data as { error: { revision: number } }).error.revision
        await sleep(150)
      }
      await sleep(30 + this.random.below(120))
    }
  }

  /** Brings frames into a shot that is saved at the same time, and changes its thumbnail and stills. */
  async bringIn(): Promise<void> {
    const id = await this.shot()
    for (let frame = 1; !this.isOver; frame++) {
      const bytes = frameFile(80, 45, this.nextSalt())
      const file = `take.${String(frame).padStart(4, '0')}.exr`
      const answer = await this.client.ask('POST', `/api/shots/${id}/media`, bytes, { 'x-file-name': file })
      if (answer.status === 200) this.kept.imports.push({ shot: id, file, frame, hash: hashOf(bytes) })
      else this.refused++
      const png = smallPng(this.nextSalt())
      const thumbnail = await this.client.ask('PUT', `/api/shots/${id}/thumbnail`, png)
      // What was not acknowledged may be there all the same.
      if (thumbnail.status === 200) this.kept.thumbnails.set(id, hashOf(png))
      else this.kept.thumbnails.delete(id)
      if (frame % 7 === 0) {
        const still = smallPng(this.nextSalt())
        const kept = await this.client.ask(
          'POST',
          `/api/shots/${id}/stills?name=still%20${frame}&frame=${frame}`,
          still,
        )
        if (kept.status === 200) this.kept.stills.push({ shot: id, id: idOf(kept.data), hash: hashOf(still) })
      }
      if (frame % 5 === 0) {
        const { status, data } = await this.client.ask('GET', `/api/shots/${id}/comp`)
        if (status === 200)
          await this.client.ask('PUT', `/api/shots/${id}/comp`, {
            base: (data as { revision: number }).revision,
            comp: numbered(0),
          })
      }
      await sleep(200 + this.random.below(300))
    }
  }

  /** Sends large files by the upload protocol. */
  async sendLarge(): Promise<void> {
    const id = await this.shot()
    for (let frame = 1; !this.isOver; frame++) {
      const bytes = frameFile(900, 500, this.nextSalt())
      const upload = await this.client.upload(bytes, 400_000, this.over)
      if (upload === undefined) return
      const file = `large.${String(frame).padStart(4, '0')}.exr`
      for (let tries = 0; tries < 200 && !this.over(); tries++) {
        const answer = await this.client.ask('POST', `/api/shots/${id}/media`, '', {
          'x-upload': upload,
          'x-file-name': file,
          'x-content-hash': hashOf(bytes),
        })
        if (answer.status === 200) {
          this.kept.imports.push({ shot: id, file, frame, hash: hashOf(bytes) })
          break
        }
        this.refused++
        // Taken before, and the answer was lost: the upload is gone.
        if (answer.status === 404) break
        await sleep(400)
      }
      await sleep(4000 + this.random.below(4000))
    }
  }

  /** Renders a shot again and again; each render gives the same pictures. */
  async render(): Promise<void> {
    const id = await this.shot()
    while (!this.isOver) {
      const { status, data } = await this.client.ask('GET', `/api/shots/${id}`)
      if (status === 200) {
        const { comp, revision } = data as { comp: Comp; revision: number }
        const [glowing] = addStep(comp, comp.lanes[0]!.id, 0, 'bloom')
        if (
          (await this.client.ask('PUT', `/api/shots/${id}/comp`, { base: revision, comp: glowing }))
            .status === 200
        )
          break
      }
      await sleep(300)
    }
    while (!this.isOver) {
      const answer = await this.client.ask('POST', `/api/shots/${id}/renders`, {
        frames: '1-3',
        formats: ['exr'],
      })
      if (answer.status === 200) this.kept.renders.push(idOf(answer.data))
      else this.refused++
      await sleep(2500 + this.random.below(2500))
    }
  }

  /** Sends what nobody should: damaged files, odd requests. None of it may disturb anyone. */
  async attack(): Promise<void> {
    const id = await this.shot()
    const seeds = [frameFile(60, 34, 1), smallPng(1)]
    const odd: (() => Promise<unknown>)[] = [
      () =>
        this.client.ask('PUT', `/api/shots/${id}/comp`, '{"base":1e999,"comp":null}', {
          'content-type': 'application/json',
        }),
      () =>
        this.client.ask('PUT', `/api/shots/${id}/comp`, '['.repeat(50_000), {
          'content-type': 'application/json',
        }),
      () =>
        this.client.ask('PATCH', `/api/shots/${id}`, '{"name":"\\ud83d"}', {
          'content-type': 'application/json',
        }),
      () => this.client.ask('GET', `/api/shots/%00`),
      () => this.client.ask('GET', `/api/intake?path=${encodeURIComponent('../../../etc')}`),
      () => this.client.ask('POST', `/api/shots/${id}/renders`, { frames: '1-99999999', formats: ['exr'] }),
      () => this.client.ask('GET', `/api/passes/${'0'.repeat(64)}/beauty?size=3`),
      () =>
        this.client.ask('POST', `/api/shots/${id}/media`, new Uint8Array(100), {
          'x-file-name': 'x.20261127133552.png',
        }),
      () =>
        this.client.ask('DELETE', '/api/uploads/..%2f..%2fkeys.json', undefined, {
          'tus-resumable': '1.0.0',
        }),
      () => this.client.ask('POST', `/api/shots/${id}/stills?name=x&frame=1e99`, smallPng(2)),
    ]
    while (!this.isOver) {
      if (this.random.below(2) === 0) {
        const bytes = mutate(this.random.pick(seeds), this.random, seeds)
        await this.client.ask('POST', `/api/shots/${id}/media`, bytes, {
          'x-file-name': `damaged.${this.random.below(20)}.${this.random.pick(['exr', 'png'])}`,
        })
      } else await this.random.pick(odd)()
      await sleep(250 + this.random.below(300))
    }
  }

  /** Everyone at once; resolves when all have stopped. */
  async run(): Promise<void> {
    await Promise.all([
      this.save(),
      this.save(),
      this.bringIn(),
      this.bringIn(),
      this.sendLarge(),
      this.render(),
      this.attack(),
    ])
  }
}
