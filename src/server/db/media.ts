import type { RowDataPacket } from 'mysql2'
import type { AlphaUse, GapFilling, Media, MediaTable, Pass, Reading } from '../../core/comp/media.ts'
import type { Encoding } from '../../core/colour/curves.ts'
import type { PassDetail } from '../../core/passes/pass-kind.ts'
import type { PassKind } from '../../core/passes/passes.ts'
import type { Db } from './pool.ts'

export interface FrameRow {
  readonly frame: number
  readonly fileHash: string
  readonly fileName: string
  readonly bytes: number
  readonly width: number
  readonly height: number
  readonly warnings: readonly string[]
  /** The pass that the file is named for, where a media's passes come in files of their own. */
  readonly beside?: string
  /** When the file was changed last where it came from. */
  readonly modifiedMs?: number
}

/** A new ref for media of a shot: m1, m2 … */
export async function freshMediaRef(db: Db, shotId: string): Promise<string> {
  const [rows] = await db.execute<(RowDataPacket & { ref: string })[]>(
    'select ref from media where shot_id = ?',
    [shotId],
  )
  const used = new Set(rows.map((r) => r.ref))
  let n = 1
  while (used.has(`m${n}`)) n++
  return `m${n}`
}

/** New media without passes and frames. */
export async function insertMedia(
  db: Db,
  shotId: string,
  ref: string,
  name: string,
  passes: readonly Pass[],
  {
    encoding = 'linear',
    alpha = 'premultiplied',
    colour,
  }: {
    readonly encoding?: Encoding
    readonly alpha?: AlphaUse
    readonly colour?: { readonly words: string; readonly doubt?: string | undefined } | undefined
  } = {},
): Promise<void> {
  await db.execute(
    'insert into media (shot_id, ref, name, encoding, alpha, colour) values (?, ?, ?, ?, ?, ?)',
    [
      shotId,
      ref,
      name,
      encoding,
      alpha,
      colour ? JSON.stringify({ words: colour.words, doubt: colour.doubt }) : null,
    ],
  )
  await insertPasses(db, shotId, ref, passes)
}

/** Adds passes after those that the media has. */
export async function insertPasses(
  db: Db,
  shotId: string,
  ref: string,
  passes: readonly Pass[],
): Promise<void> {
  const [[found]] = await db.execute<(RowDataPacket & { count: number })[]>(
    'select count(*) as count from passes where shot_id = ? and media_ref = ?',
    [shotId, ref],
  )
  for (const [i, pass] of passes.entries())
    await db.execute(
      `insert into passes (shot_id, media_ref, position, name, kind, channels, type, detail, reason, beside, in_file)
       values (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)`,
      [
        shotId,
        ref,
        (found?.count ?? 0) + i,
        pass.name,
        pass.kind,
        JSON.stringify(pass.channels),
        pass.type,
        JSON.stringify(pass.detail ?? {}),
        pass.reason ?? null,
        pass.beside ?? null,
        pass.inFile ?? null,
      ],
    )
}

/** Media of a name, each with its passes and the size of its frames. */
export async function findMediaNamed(
  db: Db,
  shotId: string,
  name: string,
): Promise<{ ref: string; passes: Pass[]; width: number; height: number }[]> {
  const [rows] = await db.execute<(RowDataPacket & { ref: string; width: number; height: number })[]>(
    `select m.ref, f.width, f.height from media m
     join frames f on f.shot_id = m.shot_id and f.media_ref = m.ref
     where m.shot_id = ? and m.name = ? group by m.ref order by m.created_at, m.ref`,
    [shotId, name],
  )
  return Promise.all(
    rows.map(async ({ ref, width, height }) => {
      const [passes] = await db.execute<PassRow[]>(
        `${selectPasses} where shot_id = ? and media_ref = ? order by position`,
        [shotId, ref],
      )
      return { ref, width, height, passes: passes.map(toPass) }
    }),
  )
}

/** Notes a frame; one with the same number is replaced. */
export async function insertFrame(db: Db, shotId: string, ref: string, row: FrameRow): Promise<void> {
  await db.execute(
    `replace into frames (shot_id, media_ref, beside, frame, file_hash, file_name, bytes, width, height, warnings, modified_ms)
     values (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)`,
    [
      shotId,
      ref,
      row.beside ?? '',
      row.frame,
      row.fileHash,
      row.fileName,
      row.bytes,
      row.width,
      row.height,
      JSON.stringify(row.warnings),
      row.modifiedMs ?? null,
    ],
  )
  await db.execute('delete from refused_files where shot_id = ? and file_name = ?', [shotId, row.fileName])
}

/** What is known of a file of any shot; undefined where none has it (any more). */
export async function findFile(
  db: Db,
  hash: string,
): Promise<Pick<FrameRow, 'fileName' | 'width' | 'height' | 'warnings'> | undefined> {
  const [rows] = await db.execute<
    (RowDataPacket & Pick<FrameRow, 'fileName' | 'width' | 'height' | 'warnings'>)[]
  >('select file_name as fileName, width, height, warnings from frames where file_hash = ? limit 1', [hash])
  return rows[0]
}

/** Notes that a file could not be read, so that its frame is known to be broken and not only missing. */
export async function noteRefused(
  db: Db,
  shotId: string,
  file: { fileName: string; mediaName: string; frame: number | undefined; reason: string },
): Promise<void> {
  await db.execute(
    'replace into refused_files (shot_id, file_name, media_name, frame, reason) values (?, ?, ?, ?, ?)',
    [shotId, file.fileName, file.mediaName, file.frame ?? null, file.reason],
  )
}

type PassRow = RowDataPacket &
  Pick<Pass, 'name' | 'kind' | 'channels' | 'type'> & {
    ref: string
    detail: PassDetail | null
    reason: string | null
    beside: string | null
    nameInFile: string | null
  }
const selectPasses =
  'select media_ref as ref, name, kind, channels, type, detail, reason, beside, in_file as nameInFile from passes'

function toPass({ name, kind, channels, type, detail, reason, beside, nameInFile }: PassRow): Pass {
  return {
    name,
    kind,
    channels,
    type,
    ...(detail && Object.keys(detail).length > 0 ? { detail } : {}),
    ...(reason === null ? {} : { reason }),
    ...(beside === null ? {} : { beside }),
    ...(nameInFile === null ? {} : { inFile: nameInFile }),
  }
}

type MediaRow = RowDataPacket & {
  ref: string
  name: string
  encoding: Encoding
  alpha: AlphaUse
  colour: { words: string; doubt?: string } | null
  reading: Reading | null
  gaps: GapFilling
}

/** All media of a shot as engines use them, and what was noticed in their files. */
export async function readMedia(db: Db, shotId: string): Promise<{ table: MediaTable; warnings: string[] }> {
  const [media] = await db.execute<MediaRow[]>(
    'select ref, name, encoding, alpha, colour, reading, gaps from media where shot_id = ? order by created_at, ref',
    [shotId],
  )
  const [passes] = await db.execute<PassRow[]>(
    `${selectPasses} where shot_id = ? order by media_ref, position`,
    [shotId],
  )
  const [frames] = await db.execute<
    (RowDataPacket & {
      ref: string
      beside: string
      frame: number
      hash: string
      file: string
      warnings: string[]
    })[]
  >(
    'select media_ref as ref, beside, frame, file_hash as hash, file_name as file, warnings from frames where shot_id = ? order by frame',
    [shotId],
  )
  const [refused] = await db.execute<
    (RowDataPacket & { mediaName: string; frame: number; reason: string })[]
  >(
    'select media_name as mediaName, frame, reason from refused_files where shot_id = ? and frame is not null order by frame',
    [shotId],
  )
  const table = media.map(({ ref, name, encoding, alpha, colour, reading, gaps }): [string, Media] => {
    const own: Record<number, string> = {}
    const beside: Record<string, Record<number, string>> = {}
    for (const f of frames)
      if (f.ref === ref) (f.beside === '' ? own : (beside[f.beside] ??= {}))[f.frame] = f.hash
    const broken = refused.filter((r) => r.mediaName === name).map((r) => [r.frame, r.reason] as const)
    return [
      ref,
      {
        name,
        passes: passes.filter((p) => p.ref === ref).map(toPass),
        frames: own,
        ...(Object.keys(beside).length > 0 ? { beside } : {}),
        encoding,
        alpha,
        ...(colour ? { colour } : {}),
        ...(reading ? { reading } : {}),
        ...(gaps === 'hold' ? {} : { gaps }),
        ...(broken.length > 0 ? { broken: Object.fromEntries(broken) } : {}),
      },
    ]
  })
  return {
    table: Object.fromEntries(table),
    warnings: gathered(frames.flatMap((f) => f.warnings.map((warning) => ({ warning, file: f.file })))),
  }
}

/** Each warning once, with the first file that it was met in and how many more. */
function gathered(found: readonly { warning: string; file: string }[]): string[] {
  const by = new Map<string, { file: string; more: number }>()
  for (const { warning, file } of found) {
    // Counts differ from frame to frame; the sentence is the same.
    const key = warning.replace(/\d+/g, '#')
    const known = by.get(key)
    if (known) known.more++
    else by.set(key, { file: `${file}: ${warning}`, more: 0 })
  }
  return [...by.values()].map(({ file, more }) => (more > 0 ? `${file} (and in ${more} more files)` : file))
}

/** Says by hand what a pass is, or how its numbers are meant; false when there is no such pass. */
export async function setPass(
  db: Db,
  shotId: string,
  ref: string,
  pass: string,
  change: { kind?: PassKind | undefined; detail?: PassDetail | undefined },
): Promise<boolean> {
  const [rows] = await db.execute<PassRow[]>(
    `${selectPasses} where shot_id = ? and media_ref = ? and name = ?`,
    [shotId, ref, pass],
  )
  const found = rows[0]
  if (!found) return false
  const isOther = change.kind !== undefined && change.kind !== found.kind
  await db.execute(
    'update passes set kind = ?, detail = ?, reason = ? where shot_id = ? and media_ref = ? and name = ?',
    [
      change.kind ?? found.kind,
      JSON.stringify({ ...found.detail, ...change.detail }),
      isOther ? null : found.reason,
      shotId,
      ref,
      pass,
    ],
  )
  return true
}

/** Says by hand how the files of a media are read and what stands in its gaps; false when there is no such media. */
export async function setReading(
  db: Db,
  shotId: string,
  ref: string,
  change: { reading?: Reading | undefined; gaps?: GapFilling | undefined },
): Promise<boolean> {
  const [rows] = await db.execute<MediaRow[]>(
    'select reading, gaps from media where shot_id = ? and ref = ?',
    [shotId, ref],
  )
  const found = rows[0]
  if (!found) return false
  const reading = change.reading ?? found.reading ?? {}
  await db.execute('update media set reading = ?, gaps = ? where shot_id = ? and ref = ?', [
    Object.keys(reading).length > 0 ? JSON.stringify(reading) : null,
    change.gaps ?? found.gaps,
    shotId,
    ref,
  ])
  return true
}

/** Which files are in the shot already: the same name, size and time of change. */
export async function knownFiles(
  db: Db,
  shotId: string,
): Promise<{ name: string; bytes: number; modifiedMs: number; hash: string }[]> {
  const [rows] = await db.execute<
    (RowDataPacket & { name: string; bytes: number; modifiedMs: number; hash: string })[]
  >(
    `select file_name as name, bytes, modified_ms as modifiedMs, file_hash as hash
     from frames where shot_id = ? and modified_ms is not null`,
    [shotId],
  )
  return rows.map(({ name, bytes, modifiedMs, hash }) => ({ name, bytes, modifiedMs, hash }))
}

/** Keeps a list of object names that came beside the pictures. */
export async function saveManifest(db: Db, shotId: string, fileName: string, doc: string): Promise<void> {
  await db.execute('replace into manifests (shot_id, file_name, doc) values (?, ?, ?)', [
    shotId,
    fileName,
    doc,
  ])
}
export async function listManifests(db: Db, shotId: string): Promise<string[]> {
  const [rows] = await db.execute<(RowDataPacket & { doc: string })[]>(
    'select doc from manifests where shot_id = ? order by file_name',
    [shotId],
  )
  return rows.map(({ doc }) => doc)
}

/** The name that each frame's file was brought in with, and the pass it is named for. */
export async function frameFiles(
  db: Db,
  shotId: string,
): Promise<{ ref: string; beside: string; frame: number; file: string }[]> {
  const [rows] = await db.execute<
    (RowDataPacket & { ref: string; beside: string; frame: number; file: string })[]
  >(
    'select media_ref as ref, beside, frame, file_name as file from frames where shot_id = ? order by frame',
    [shotId],
  )
  return rows.map(({ ref, beside, frame, file }) => ({ ref, beside, frame, file }))
}
