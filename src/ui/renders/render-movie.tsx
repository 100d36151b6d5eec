import { useState } from 'react'
import * as v from 'valibot'

const refusal = v.object({ error: v.object({ message: v.string() }) })

/** What a render has made so far, played; and its movies to take away. */
export function RenderMovie({
  id,
  version,
  mayHaveAlpha,
}: {
  id: string
  version: number
  mayHaveAlpha: boolean
}) {
  const [failure, setFailure] = useState<string>()
  const [hasWords, setHasWords] = useState(false)
  const address = (kind: string, alpha = false) => {
    const query = [hasWords ? 'words=' : [], alpha ? 'alpha=' : []].flat().join('&')
    return `/api/renders/${id}/movie/${kind}${query && `?${query}`}`
  }
  const askWhy = async () => {
    const answer = await fetch(address('mp4'))
    if (!answer.ok) setFailure(v.parse(refusal, await answer.json()).error.message)
  }
  if (failure !== undefined)
    return (
      <p role="alert" className="text-error">
        {failure}
      </p>
    )
  return (
    <figure className="space-y-1">
      <video
        className="max-h-72 bg-black"
        src={address('mp4')}
        controls
        autoPlay
        loop
        muted
        onError={() => void askWhy()}
      />
      <figcaption className="flex gap-3 text-base-content/60">
        {(['mp4', 'webm', 'mov'] as const).map((kind) => (
          <a
            key={kind}
            className="link link-accent"
            href={address(kind)}
            download={`render-${version}.${kind}`}
          >
            {{ mp4: 'H.264, MP4', webm: 'VP9, WebM', mov: 'ProRes 4444, MOV' }[kind]}
          </a>
        ))}
        {mayHaveAlpha &&
          (['webm', 'mov'] as const).map((kind) => (
            <a
              key={kind}
              className="link link-accent"
              href={address(kind, true)}
              download={`render-${version}-alpha.${kind}`}
            >
              {kind === 'webm' ? 'WebM with alpha' : 'MOV with alpha'}
            </a>
          ))}
        <label className="ml-auto flex cursor-pointer items-center gap-1.5">
          <input
            type="checkbox"
            className="checkbox checkbox-xs"
            checked={hasWords}
            onChange={() => {
              setHasWords(!hasWords)
            }}
          />
          frame, shot and version on it
        </label>
      </figcaption>
    </figure>
  )
}
