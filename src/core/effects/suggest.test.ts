import { expect, test } from 'vitest'
import { effects } from './registry.ts'
import { searchEffects } from './suggest.ts'

// What people type, and what they mean by it; written before the search was tuned.
const phrases: Readonly<Record<string, string>> = {
  'glow': 'bloom matte-glow', 'make it glow': 'bloom matte-glow', 'soft glow': 'bloom matte-glow', 'glow from a shape': 'matte-glow', 'neon outline': 'matte-glow',
  'halo around the character': 'matte-glow bloom', 'dreamy highlights': 'bloom', 'blown out lights': 'bloom', 'light bleeding': 'bloom', 'diffusion filter': 'bloom',
  'beams of sunlight': 'light-rays', 'god rays': 'light-rays', 'lihgt rays': 'light-rays', 'shafts of light from the window': 'light-rays', 'volumetric light': 'light-rays',
  'streaks': 'star-glare light-rays', 'star filter': 'star-glare', 'sparkles on metal': 'star-glare', 'cross on the lamp': 'star-glare', 'twinkling': 'star-glare',
  'lens flare': 'lens-reflections', 'ghosts in the lens': 'lens-reflections', 'flare': 'lens-reflections', 'camera reflections': 'lens-reflections',
  'fog': 'depth-mist', 'make it foggy': 'depth-mist', 'haze in the distance': 'depth-mist', 'atmosphere': 'depth-mist', 'underwater murk': 'depth-mist', 'mist': 'depth-mist', 'fade into the background': 'depth-mist', 'smoke in the air': 'depth-mist',
  'blur': 'blur defocus', 'blur the background': 'defocus', 'depth of field': 'defocus', 'out of focus': 'defocus', 'bokeh': 'defocus', 'rack focus': 'defocus', 'sharpen only the front': 'defocus', 'gaussian': 'blur', 'smooth it': 'blur soften', 'directional blur': 'blur', 'zoom blur': 'blur',
  'warmer': 'channel-gains tint', 'cooler': 'channel-gains tint', 'more blue': 'channel-gains tint', 'white balance': 'channel-gains', 'tint': 'tint', 'sepia': 'tint', 'color wash': 'tint', 'less red': 'channel-gains', 'hue shift': 'channel-gains',
  'brighter': 'exposure', 'darker': 'exposure', 'darken the picture': 'exposure', 'one stop up': 'exposure', 'brigthness': 'exposure',
  'more contrast': 'curves', 'contrast': 'curves', 'lift the shadows': 'curves', 'roll off highlights': 'curves', 'tone curve': 'curves', 'gamma': 'curves cdl-grade levels',
  'desaturate': 'saturation', 'black and white': 'saturation', 'more vivid': 'saturation', 'vibrance': 'saturation', 'washed out colors': 'saturation', 'greyscale': 'saturation gradient-map',
  'color grading': 'cdl-grade', 'slope offset power': 'cdl-grade', 'lut': 'look-table', 'load a cube file': 'look-table', 'film look': 'look-table', 'false color': 'gradient-map', 'map brightness to colours': 'gradient-map', 'duotone': 'gradient-map',
  'negative values': 'clamp', 'limit the highlights': 'clamp', 'remove fireflies': 'clamp', 'invert': 'invert', 'reverse the mask': 'invert',
  'green screen': 'colour-key', 'chroma key': 'colour-key', 'mask by colour': 'colour-key', 'key out a color': 'colour-key', 'luma key': 'luminance-key', 'mask of the bright parts': 'luminance-key', 'select highlights': 'luminance-key',
  'mask by depth': 'depth-matte', 'mask by distance': 'depth-matte', 'fresnel': 'facing-matte', 'edges that face away': 'facing-matte', 'grazing angle': 'facing-matte', 'mask from object': 'matte-from', 'cut out an object': 'matte-from combine', 'use alpha as mask': 'matte-from',
  'bigger mask': 'choke-spread', 'shrink the matte': 'choke-spread', 'erode': 'choke-spread', 'grow edges': 'choke-spread', 'feather': 'soften', 'soft edges': 'soften', 'combine masks': 'combine', 'subtract one matte from another': 'combine', 'mask contrast': 'levels', 'crush the matte': 'levels',
  'rim light': 'matte-light', 'edge light': 'matte-light', 'back light': 'matte-light', 'light from one side': 'matte-light', 'shadow on the character': 'matte-shade', 'shade': 'matte-shade', 'core shadow': 'matte-shade', 'drop shadow': 'contact-shadow', 'shadow on the floor': 'contact-shadow',
  'transparent': 'opacity', 'see through': 'opacity', 'fade out': 'opacity', 'move': 'place', 'rotate the layer': 'place', 'scale down': 'place', 'resize': 'place', 'flip horizontally': 'place', 'shift left': 'place',
  'motion blur': 'motion-blur', 'camera shutter': 'motion-blur', 'smear fast things': 'motion-blur', 'whip pan': 'motion-blur', 'blur by velocity': 'motion-blur', 'film grain': 'grain', 'noise': 'grain noise-warp', 'hide banding': 'grain', 'iso noise': 'grain',
  'chromatic aberration': 'lens-fringe', 'rgb split': 'lens-fringe', 'colour fringes at the edge': 'lens-fringe', 'vignette': 'vignette', 'darken the corners': 'vignette', 'spotlight in the middle': 'vignette', 'make the flame waver': 'noise-warp', 'heat haze': 'noise-warp depth-mist',
  'water distortion': 'noise-warp', 'wobble': 'noise-warp', 'turbulence': 'noise-warp', 'displace': 'noise-warp', 'light trails': 'afterglow', 'echo of sparks': 'afterglow', 'long exposure': 'afterglow', 'sharpen': 'sharpen', 'unsharp mask': 'sharpen', 'crisper': 'sharpen',
  'relight': 'cast-light', 'add a lamp': 'cast-light', 'light the walls with a lantern': 'cast-light', 'point light': 'cast-light', 'radial blur': 'blur', 'spin blur': 'blur', 'speed lines': 'blur motion-blur',
} // prettier-ignore

test('of more than a hundred ordinary phrases at least 95 % have the right effect among the first three, each in under 5 ms', () => {
  const known = new Set(effects.map((e) => e.id))
  for (const wanted of Object.values(phrases))
    for (const id of wanted.split(' ')) expect(known.has(id), id).toBe(true)
  searchEffects('warm up')
  const entries = Object.entries(phrases)
  expect(entries.length).toBeGreaterThan(100)
  const began = performance.now()
  const missed = entries.filter(([text, wanted]) => {
    const first = searchEffects(text)
      .slice(0, 3)
      .map((e) => e.id)
    return !wanted.split(' ').some((id) => first.includes(id))
  })
  expect((performance.now() - began) / entries.length).toBeLessThan(5)
  expect(
    missed.length / entries.length,
    missed
      .map(
        ([text]) =>
          `${text} → ${searchEffects(text)
            .slice(0, 3)
            .map((e) => e.id)
            .join(', ')}`,
      )
      .join('\n'),
  ).toBeLessThanOrEqual(0.05)
})

test('something near always comes, and an empty search gives everything', () => {
  for (const text of ['zebra', 'qqqq', 'ü', '???', 'the of and', 'blooom', 'x'.repeat(500)])
    expect(searchEffects(text).length, text).toBeGreaterThan(0)
  expect(searchEffects('')).toHaveLength(effects.length)
  expect(searchEffects('bloom')[0]!.id).toBe('bloom')
  // The whole name of an effect finds it first.
  for (const effect of effects) expect(searchEffects(effect.title)[0]!.id).toBe(effect.id)
})
