import { join } from 'node:path'
import { Worker } from 'node:worker_threads'
import { isIdentity } from '../../core/colour/spaces.ts'
import { parseReadAs, readAsKey, readAsOf, type Pass } from '../../core/comp/media.ts'
import { guessPass } from '../../core/passes/guess-pass.ts'
import { passFilter, rulesOf } from '../../core/passes/passes.ts'
import type { PassRef } from '../../core/engine/plan/plan-node.ts'
import { isExr } from '../../core/formats/exr-header.ts'
import { findMissByAlpha } from '../../core/formats/depth-miss.ts'
import { objectsIn } from '../../core/formats/object-masks.ts'
import {
  columnsOfBlock,
  decodePassBlock,
  encodePassBlock,
  type PassBlock,
} from '../../core/formats/pass-block.ts'
import { passStats, type PassStats } from '../../core/formats/pass-stats.ts'
import { reducePass, reducePasses } from '../../core/formats/reduce-pass.ts'
import { smallerBlock } from '../../core/engine/small-passes.ts'
import { halfTable } from '../../core/picture/half.ts'
import { openSparseExr, type MediaFile, type MediaInfo, type SharedFile } from './media-file.ts'
import { openMedia } from './raster-file.ts'
import type { RowSpan } from './decode-job.ts'
import { ShareFailed } from './shared-work.ts'
import { joinShares, sharesOf, type TakenShare, type TakeOptions } from './take-shares.ts'
import { writeWhole } from '../whole-file.ts'
import { isWholeForm } from './whole-form.ts'
import { openSparse } from './sparse-file.ts'
import {
  checkStored,
  exists,
  isFoundWhole,
  objectsPath,
  passPath,
  readStored,
  readWhole,
  storedPath,
  type PassForm,
} from './store.ts'

/** What is to be said of a pass's values; undefined when all are numbers. Infinite depth means that nothing was hit. */
export function valueWarning({ name, kind }: Pass, { channels }: PassStats): string | undefined {
  const bad = channels.reduce((sum, c) => sum + c.nan + (rulesOf(kind).takesInfinite ? 0 : c.infinite), 0)
  return bad > 0 && kind !== 'ids'
    ? `${bad} values of the pass ${name} are not numbers or infinite; they count as 0`
    : undefined
}

/** Pixels of partial cover below which nothing is concluded from them. */
const enoughPartial = 300

/**
 * What is to be said when the pixels of a pass contradict how its colour is read; undefined when they do not.
 * Straight colour does not fall with alpha and exceeds it; premultiplied colour falls with it (common practice). Light without cover
 * exceeds alpha too, so some of it is no contradiction.
 */
export function readingWarning(
  { name, kind }: Pass,
  { encoding, alpha }: Pick<MediaInfo, 'encoding' | 'alpha'>,
  stats: PassStats,
): string | undefined {
  if (!rulesOf(kind).isLight) return undefined
  const found = stats.alpha
  if (found && found.partial >= enoughPartial) {
    const isStraight = found.above > 0.35 && found.slope > 0.75
    const isMultiplied = found.above === 0 && found.slope < 0.5
    if (alpha === 'premultiplied' && isStraight)
      return `the colour of ${name} does not fall with its alpha: it looks straight, but is read as premultiplied, which makes edges too bright. Say “straight” for the alpha of the media if they are`
    if (alpha === 'straight' && isMultiplied)
      return `the colour of ${name} never exceeds its alpha: it looks premultiplied, but is read as straight, which makes edges too dark. Say “premultiplied” for the alpha of the media if they are`
  }
  const colours = stats.channels.slice(0, 3)
  const isDisplay =
    stats.eightBit > 0.98 && stats.distinct > 64 && colours.every((c) => c.low >= 0 && c.high <= 1)
  return encoding === 'linear' && isDisplay
    ? `the values of ${name} are all codes of 8 bits between 0 and 1: it looks encoded for display, but is read as linear light. Say “sRGB” for the colour of the media if it looks washed out`
    : undefined
}

/** An object of an ID pass in a file, as it is listed for people. */
export interface ListedObject {
  /** Eight hexadecimal digits. */
  readonly id: string
  readonly name?: string
  /** Pixels it covers. */
  readonly pixels: number
}
const mostListed = 5000

function listObjects(pass: Pass, block: PassBlock, file: MediaFile): ListedObject[] {
  const names = file.masks.find((m) => m.layer === pass.name)?.objects
  return objectsIn(block, pass.detail?.masks ?? 'plain')
    .slice(0, mostListed)
    .map(({ id, pixels }) => {
      const name = names?.get(id)
      return { id: id.toString(16).padStart(8, '0'), pixels, ...(name === undefined ? {} : { name }) }
    })
}

/** What is made from stored files can be made again, so it is not synced; a form that is not whole counts as absent. */
const remade = { isSynced: false }

/**
 * Looks through a stored file: checks that every pass can be read, says what each probably is and what was noticed, and makes
 * the small forms that are shown first. Full sizes are made when they are asked for. With two threads, and a file that takes it, another one
 * does half of it.
 */
export async function takeStored(hash: string, options: TakeOptions = {}): Promise<TakenShare> {
  const file = await openMedia(await readStored(hash))
  const shared = options.threads === 2 ? file.share?.() : undefined
  if (!shared) return takeShare(file, hash, options)
  const helper = new Worker(join(process.cwd(), 'dist', 'decode-helper.mjs'), {
    workerData: { hash, shared, options: { ...options, share: [1, 2] } } satisfies HelperWork,
  })
  const theirs = new Promise<HelperReply>((resolve, reject) => {
    helper.once('message', resolve)
    helper.once('error', reject)
    helper.once('exit', () => {
      reject(new Error('The second thread that read it ended'))
    })
  })
  theirs.catch(() => undefined)
  try {
    file.unpackWith!(shared)
    const own = await takeShare(file, hash, { ...options, share: [0, 2] })
    const reply = await theirs
    if ('problem' in reply) throw Object.assign(new Error(reply.problem), { code: reply.code })
    return { ...own, info: joinShares([own, reply.taken]) }
  } catch (error) {
    // The one that failed knows why.
    const reply = error instanceof ShareFailed ? await theirs : undefined
    throw reply && 'problem' in reply ? new Error(reply.problem) : error
  } finally {
    void helper.terminate()
  }
}

/** What the second thread that takes a file is given, and what it answers. */
export interface HelperWork {
  readonly hash: string
  readonly shared: SharedFile
  readonly options: TakeOptions
}
export type HelperReply =
  { readonly taken: TakenShare } | { readonly problem: string; readonly code: string | undefined }

/** A share of the passes of a file. */
export async function takeShare(
  file: MediaFile,
  hash: string,
  { passName, share: [index, of] = [0, 1] }: TakeOptions,
): Promise<TakenShare> {
  const own = sharesOf(file.info.passes, of)[index]!
  const warnings = [...file.info.warnings]
  const frame = { width: file.info.width, height: file.info.height }
  const passes: Pass[] = []
  const isOnly = file.info.passes.length === 1
  /** The first picture with alpha. */
  let colour: PassBlock | undefined
  for (const inFile of file.info.passes.filter((p) => own.has(p.name))) {
    const isIt = isOnly || inFile.name.toLowerCase() === passName
    const named = passName === undefined ? inFile.name : isIt ? passName : `${passName} ${inFile.name}`
    const renamed = named === inFile.name ? inFile : { ...inFile, name: named, inFile: inFile.name }
    // Colour is judged as it is stored; nothing else is stored otherwise than it is read.
    const stored = file.readPass(inFile.name, { isData: true })
    const stats = passStats(stored)
    const isKnown = inFile.detail?.masks === 'ranked' || inFile.kind === 'table'
    const guess = isKnown ? {} : guessPass(named, inFile.channels, inFile.type, stats)
    const pass = withMissByAlpha({ ...renamed, ...guess }, stored, colour)
    if (stored.channels === 4 && rulesOf(pass.kind).isLight) colour ??= stored
    passes.push(pass)
    for (const warning of [valueWarning(pass, stats), readingWarning(pass, file.info, stats)])
      if (warning !== undefined) warnings.push(warning)
    const [as, filter] = [readAsOf({}, pass), passFilter(pass)]
    const { encoding, alpha, colour: own } = file.info
    const isAsStored =
      as.isData || (encoding === 'linear' && alpha === 'premultiplied' && isIdentity(own.toWorking))
    const block = isAsStored ? stored : file.readPass(inFile.name, as)
    const filters = pass.detail?.masks === 'ranked' ? ([filter, 'ranks'] as const) : [filter]
    const sizes = [2, 4] as const
    for (const by of filters)
      for (const [i, small] of reducePasses(block, by, sizes, frame).entries())
        await writeWhole(
          passPath(hash, { pass: inFile.name, as: readAsKey(as), reduction: sizes[i]!, filter: by }),
          encodePassBlock(small),
          remade,
        )
    if (pass.kind === 'ids')
      await writeWhole(
        objectsPath(hash, inFile.name),
        new TextEncoder().encode(JSON.stringify(listObjects(pass, block, file))),
        remade,
      )
  }
  warnings.push(...file.noticed())
  return { info: { ...file.info, passes, warnings }, order: file.info.passes.map((p) => p.name) }
}

/** A depth pass whose values do not say what nothing is may be told by the alpha of a picture before it in the file. */
function withMissByAlpha(pass: Pass, depth: PassBlock, colour: PassBlock | undefined): Pass {
  const { detail } = pass
  const isOpen =
    pass.kind === 'depth' &&
    detail?.miss === undefined &&
    detail?.depth === 'distance' &&
    detail.unit !== '0–1'
  const isAlike = colour?.width === depth.width && colour.height === depth.height
  if (!isOpen || !isAlike || colour.x !== depth.x || colour.y !== depth.y) return pass
  const step = Math.max(1, Math.floor((depth.width * depth.height) / 60_000)) | 1
  const every = (block: PassBlock, c: number) => {
    const halves = block.data instanceof Uint16Array ? halfTable() : undefined
    const count = Math.ceil((block.width * block.height) / step)
    return Float64Array.from({ length: count }, (_, i) => {
      const value = block.data[i * step * block.channels + c]!
      return halves ? halves[value]! : value
    })
  }
  const miss = findMissByAlpha(every(depth, 0), every(colour, 3))
  if (!miss) return pass
  const reason = `${pass.reason}; nothing was hit where it is ${miss.value}: ${miss.why}`
  return { ...pass, reason, detail: { ...detail, miss: miss.value } }
}

interface Opened {
  readonly hash: string
  readonly file: MediaFile
  /** After so long without a job it is let go; sooner once all of it was unpacked. */
  keepMs: number
  close(): void
}

/** A whole file and all that it unpacks to take gigabytes; one that is read by rows takes what is kept of it, and is asked again when somebody looks on. */
const [wholeMs, rowsMs] = [5_000, 30_000]

/** The file opened last: passes of one file are mostly asked for one after the other. */
let opened: Opened | undefined
let letGo: ReturnType<typeof setTimeout> | undefined
/** A file of which only rows were read is held against its name so long after the last job. */
const checkMs = 2000
let checking: ReturnType<typeof setTimeout> | undefined

function keepOpen(now: Opened): MediaFile {
  if (opened !== now) opened?.close()
  opened = now
  clearTimeout(letGo)
  letGo = setTimeout(() => {
    opened?.close()
    opened = undefined
  }, now.keepMs)
  letGo.unref()
  clearTimeout(checking)
  if (!isFoundWhole(now.hash))
    checking = setTimeout(() => {
      // What is wrong with it is told when it is asked for next.
      void checkStored(now.hash).catch(() => {
        if (opened !== now) return
        now.close()
        opened = undefined
      })
    }, checkMs)
  return now.file
}

/** A stored file, read whole and found to be what its name says. */
async function wholeFile(hash: string): Promise<MediaFile> {
  if (opened?.hash === hash && isFoundWhole(hash)) {
    opened.keepMs = wholeMs
    return keepOpen(opened)
  }
  const file = await openMedia(await readStored(hash))
  return keepOpen({ hash, file, keepMs: wholeMs, close: () => undefined })
}

/** A stored file to read rows of: of an EXR no more is read than is looked at. */
async function fileForRows(hash: string): Promise<MediaFile> {
  if (opened?.hash === hash) return keepOpen(opened)
  const sparse = (await exists(storedPath(hash))) ? openSparse(storedPath(hash)) : undefined
  sparse?.need(0, 4)
  if (!sparse || !isExr(sparse.bytes)) {
    sparse?.close()
    return wholeFile(hash)
  }
  try {
    return keepOpen({
      hash,
      file: openSparseExr(sparse),
      keepMs: rowsMs,
      close: () => {
        sparse.close()
      },
    })
  } catch (error) {
    sparse.close()
    throw error
  }
}

/** Makes a form of a pass of a stored file: an eighth out of its quarter, all else out of the file. Throws FormatError. */
export async function makeForm(hash: string, form: PassForm): Promise<void> {
  if (form.reduction === 8) {
    const quarter = { ...form, reduction: 4 } as const
    const path = passPath(hash, quarter)
    if (!(await isWholeForm(path))) await makeForm(hash, quarter)
    const block = decodePassBlock((await readWhole(path)).buffer)
    await writeWhole(passPath(hash, form), encodePassBlock(smallerBlock(block, form.filter, 2)), remade)
    return
  }
  const file = await wholeFile(hash)
  const block = file.readPass(form.pass, parseReadAs(form.as) ?? { isData: false })
  const sized =
    form.reduction === 1
      ? block
      : reducePass(block, form.filter, form.reduction, { width: file.info.width, height: file.info.height })
  await writeWhole(passPath(hash, form), encodePassBlock(sized), remade)
}

/** Spans of rows of a pass at full size as blocks, which are not kept; undefined where the whole is as quickly made. Throws FormatError. */
export async function makeRows(
  hash: string,
  form: PassForm,
  spans: readonly RowSpan[],
  columns?: PassRef['columns'],
): Promise<Uint8Array[] | undefined> {
  const file = await fileForRows(hash)
  const blocks: Uint8Array[] = []
  for (const rows of spans) {
    const block = file.readRows?.(form.pass, parseReadAs(form.as) ?? { isData: false }, rows)
    if (!block) return undefined
    blocks.push(encodePassBlock(columns ? columnsOfBlock(block, columns) : block))
  }
  return blocks
}

/** The objects of an ID pass, made anew where the list was cleared away. */
export async function makeObjects(hash: string, pass: Pass): Promise<void> {
  const file = await openMedia(await readStored(hash))
  const name = pass.inFile ?? pass.name
  const block = file.readPass(name, { isData: true })
  const list = listObjects({ ...pass, name }, block, file)
  await writeWhole(objectsPath(hash, name), new TextEncoder().encode(JSON.stringify(list)), remade)
}
