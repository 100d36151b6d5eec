/** The sign of Zafiro: a cut stone. */
export function Mark({ size = 22 }: { size?: number }) {
  return (
    <svg width={size} height={size} viewBox="0 0 32 32" aria-hidden>
      <path d="M10 2h12l8 8v12l-8 8H10l-8-8V10z" fill="#2b5fe0" />
      <path d="M10 2h12l-6 9zM2 10l8-8 6 9-6 5zM30 10l-8-8-6 9 6 5z" fill="#6f9bff" opacity=".7" />
      <path d="M10 16l6-5 6 5-6 14z" fill="#a9c4ff" opacity=".55" />
    </svg>
  )
}
