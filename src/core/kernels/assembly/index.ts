// Hot loops over premultiplied RGBA float pictures in shared memory. Every function works on rows y0..y1-1
// of its output only, so that bands of one call may run on several threads at once; pointers are byte offsets.
// A function whose last two arguments are rows is one that threads share. Shapes, units, sources and plain
// twins are in the file of the same name in ../declarations (those of rays among those of streaks).

export * from './aperture'
export * from './block'
export * from './blur'
export * from './colour'
export * from './display'
export * from './distance'
export * from './fourier'
export * from './grade'
export * from './half'
export * from './join'
export * from './key'
export * from './lamp'
export * from './lens'
export * from './matte'
export * from './mist'
export * from './position'
export * from './ray'
export * from './resample'
export * from './scope'
export * from './smear'
export * from './streak'
export * from './thread'
export * from './warp'
export * from './ways'

/** First byte of memory that the program itself does not use. */
export function heapBase(): usize {
  return __heap_base
}
