// What a frame is in time. A shot's frames are numbered; between two there are parts of frames.

/** Frames a second of a shot that says nothing else (common practice in film). */
export const usualRate = 24

/** Seconds from frame 0 to a frame, whole or between two. */
export const secondsAt = (frame: number, rate: number): number => frame / rate

/** When a shutter is open, in frames from this one: it opens at an angle from the middle of the frame; 360° are one frame (common practice). */
export const shutterTimes = (
  shutter: number,
  opens: number,
): { readonly from: number; readonly to: number } => ({
  from: opens / 360,
  to: (opens + shutter) / 360,
})

/** The whole frame that a time is nearest to. */
export const nearestFrame = (time: number): number => Math.round(time)
