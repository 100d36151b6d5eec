import type { RowDataPacket } from 'mysql2'
import type { Media, MediaTable, Pass, PassKind } from '../../core/comp/media.ts'
import type { Db } from './pool.ts'

export interface FrameRow {
  readonly frame: number
  readonly fileHash: string
  readonly fileName: string
  readonly bytes: number
  readonly width: number
  readonly height: number
  readonly warnings: readonly string[]
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

export async function insertMedia(
  db: Db,
  shotId: string,
  ref: string,
  name: string,
  passes: readonly Pass[],
): Promise<void> {
  await db.execute('insert into media (shot_id, ref, name) values (?, ?, ?)', [shotId, ref, name])
  for (const [position, pass] of passes.entries())
    await db.execute(
      'insert into passes (shot_id, media_ref, position, name, kind, channels, type) values (?, ?, ?, ?, ?, ?, ?)',
      [shotId, ref, position, pass.name, pass.kind, JSON.stringify(pass.channels), pass.type],
    )
}

/** The media of a name whose passes are the given ones, so that a file may join it as a frame. */
export async function findSequence(
  db: Db,
  shotId: string,
  name: string,
  passes: readonly Pass[],
): Promise<string | undefined> {
  const { table } = await readMedia(db, shotId)
  const names = (list: readonly Pass[]) => list.map((p) => p.name).join('\n')
  return Object.entries(table).find(([, m]) => m.name === name && names(m.passes) === names(passes))?.[0]
}

/** Notes a frame; one with the same number is replaced. */
export async function insertFrame(db: Db, shotId: string, ref: string, row: FrameRow): Promise<void> {
  await db.execute(
    `replace into frames (shot_id, media_ref, frame, file_hash, file_name, bytes, width, height, warnings)
     values (?, ?, ?, ?, ?, ?, ?, ?, ?)`,
    [
      shotId,
      ref,
      row.frame,
      row.fileHash,
      row.fileName,
      row.bytes,
      row.width,
      row.height,
      JSON.stringify(row.warnings),
    ],
  )
}

type PassRow = RowDataPacket & {
  ref: string
  name: string
  kind: PassKind
  channels: string[]
  type: Pass['type']
}

/** All media of a shot as comps and engines see them, and what was noted of their files. */
export async function readMedia(db: Db, shotId: string): Promise<{ table: MediaTable; warnings: string[] }> {
  const [media] = await db.execute<(RowDataPacket & { ref: string; name: string })[]>(
    'select ref, name from media where shot_id = ? order by created_at, ref',
    [shotId],
  )
  const [passes] = await db.execute<PassRow[]>(
    'select media_ref as ref, name, kind, channels, type from passes where shot_id = ? order by media_ref, position',
    [shotId],
  )
  const [frames] = await db.execute<
    (RowDataPacket & { ref: string; frame: number; hash: string; file: string; warnings: string[] })[]
  >(
    'select media_ref as ref, frame, file_hash as hash, file_name as file, warnings from frames where shot_id = ? order by frame',
    [shotId],
  )
  const table = Object.fromEntries(
    media.map(({ ref, name }): [string, Media] => {
      const own = passes.filter((p) => p.ref === ref)
      const numbers = frames.filter((f) => f.ref === ref).map((f) => [f.frame, f.hash] as const)
      return [
        ref,
        {
          name,
          passes: own.map(({ name, kind, channels, type }) => ({ name, kind, channels, type })),
          frames: Object.fromEntries(numbers),
        },
      ]
    }),
  )
  return { table, warnings: frames.flatMap((f) => f.warnings.map((w) => `${f.file}: ${w}`)) }
}

/** Says by hand what a pass is; false when there is no such pass. */
export async function setPassKind(
  db: Db,
  shotId: string,
  ref: string,
  pass: string,
  kind: PassKind,
): Promise<boolean> {
  const [rows] = await db.execute<RowDataPacket[]>(
    'select 1 from passes where shot_id = ? and media_ref = ? and name = ?',
    [shotId, ref, pass],
  )
  await db.execute('update passes set kind = ? where shot_id = ? and media_ref = ? and name = ?', [
    kind,
    shotId,
    ref,
    pass,
  ])
  return rows.length > 0
}

/** The name that each frame's file was brought in with. */
export async function frameFiles(
  db: Db,
  shotId: string,
): Promise<{ ref: string; frame: number; file: string }[]> {
  const [rows] = await db.execute<(RowDataPacket & { ref: string; frame: number; file: string })[]>(
    'select media_ref as ref, frame, file_name as file from frames where shot_id = ? order by frame',
    [shotId],
  )
  return rows.map(({ ref, frame, file }) => ({ ref, frame, file }))
}
