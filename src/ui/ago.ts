/** How long ago a time was, in words: 'just now', '12 s ago', '3 h ago', or the date. */
export function ago(time: string | number, now = Date.now()): string {
  const seconds = Math.round((now - new Date(time).getTime()) / 1000)
  if (seconds < 5) return 'just now'
  if (seconds < 60) return `${seconds} s ago`
  if (seconds < 3600) return `${Math.floor(seconds / 60)} min ago`
  if (seconds < 86400) return `${Math.floor(seconds / 3600)} h ago`
  return new Date(time).toISOString().slice(0, 10)
}
