// What a frame is in time. A shot's frames are numbered; between two there are parts of frames.

/** Frames a second of a shot that says nothing else (common practice in film). */
export const usualRate = 24

/** Seconds from frame 0 to a frame, whole or between two. */
export const secondsAt = (frame: number, rate: number): number => frame / rate
