import { describe, expect, test } from 'vitest'
import { filledName, nameProblem, usualName } from './file-name.ts'
import { frameListWords, parseFrameList } from './frame-list.ts'
import { durationWords, paceOf } from './pace.ts'
import { sizeOf } from './render-options.ts'

describe('lists of frames', () => {
  test('single ones, ranges, every so many, below 0, several; each once and in order', () => {
    expect(parseFrameList('12')).toEqual([12])
    expect(parseFrameList('3,7, 5-6')).toEqual([3, 5, 6, 7])
    expect(parseFrameList('1-20x5')).toEqual([1, 6, 11, 16])
    expect(parseFrameList('-3--1 -1-1')).toEqual([-3, -2, -1, 0, 1])
    expect(parseFrameList('5-7,6-8')).toEqual([5, 6, 7, 8])
    expect(parseFrameList('1-100000')).toHaveLength(100_000)
  })
  test.each([
    ['', /No frames/],
    ['9-3', /backwards.*3-9/],
    ['1-9x0', /never/],
    ['a', /no frame/],
    ['1-', /no frame/],
    ['1-100001', /100,000/],
    ['1-60000,70000-120000', /100,000/],
    ['99999999999', /no frame/],
  ])('%j is refused in words', (text, words) => {
    expect(() => parseFrameList(text)).toThrow(words)
  })
  test('their words are read back as the same frames, whatever they are', () => {
    for (let seed = 1; seed < 60; seed++) {
      const frames = [
        ...new Set(Array.from({ length: 1 + (seed % 17) }, (_, i) => ((i * seed * 7919) % 41) - 9)),
      ]
      frames.sort((a, b) => a - b)
      expect(parseFrameList(frameListWords(frames))).toEqual(frames)
    }
    expect(frameListWords([1, 2, 3, 10, 12, 14, 40])).toBe('1-3, 10-14x2, 40')
  })
})

describe('names of files', () => {
  test('are filled in', () => {
    const frame = { shot: 'grotto-descent', frame: 7, version: 3 }
    expect(filledName(usualName, frame)).toBe('grotto-descent.0007')
    expect(filledName('{shot}_{version}_{frame:6}', frame)).toBe('grotto-descent_v003_000007')
    expect(filledName('{frame}', { ...frame, frame: -12 })).toBe('-0012')
  })
  test.each([
    ['', /wanted/],
    ['look', /\{frame\}/],
    ['a/{frame}', /slashes/],
    ['..\\{frame}', /slashes/],
    ['{shot}.{number}', /\{number\}/],
    ['{frame', /\{frame/],
    ['.{frame}', /begin/],
    ['{frame}:{shot}', /disk/],
    [`${'x'.repeat(120)}{frame}`, /120/],
  ])('%j is refused in words', (pattern, words) => {
    expect(nameProblem(pattern)).toMatch(words)
  })
  test('good ones are taken', () => {
    for (const pattern of [usualName, 'Höhle {frame:8}', '{version}-{shot}-{frame}'])
      expect(nameProblem(pattern)).toBeUndefined()
  })
})

test('sizes cover the whole frame', () => {
  expect(sizeOf(2, { width: 961, height: 541 })).toEqual({ width: 481, height: 271 })
  expect(sizeOf({ width: 640 }, { width: 1920, height: 1080 })).toEqual({ width: 640, height: 360 })
  expect(sizeOf({ width: 16 }, { width: 16_000, height: 2 })).toEqual({ width: 16, height: 1 })
  expect(sizeOf(undefined, { width: 5, height: 4 })).toEqual({ width: 5, height: 4 })
})

test('the time left follows the pace of the last frames', () => {
  expect(paceOf([5], 3)).toBeUndefined()
  const steady = Array.from({ length: 5 }, (_, i) => i * 2000)
  expect(paceOf(steady, 30)).toEqual({ perMinute: 30, leftMs: 60_000 })
  // A slow beginning is forgotten.
  const faster = [0, 90_000, ...Array.from({ length: 20 }, (_, i) => 100_000 + i * 1000)]
  expect(paceOf(faster, 10)!.leftMs).toBe(10_000)
  expect([
    durationWords(400),
    durationWords(61_000),
    durationWords(600_000),
    durationWords(9_000_000),
  ]).toEqual(['1 s', '61 s', '10 min', '2 h 30 min'])
})
