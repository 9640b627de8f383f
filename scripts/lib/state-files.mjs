import { closeSync, existsSync, fsyncSync, openSync, readFileSync, renameSync, writeSync } from 'node:fs'
import { say } from './say.mjs'

/*
 * Small files in which the start script remembers things. They are written whole or not at all; one that a crash or a
 * full disk left broken is set aside and made anew, so that it never stops a start.
 */

/** Writes a state file: beside it first, then in its place in one move. */
export function writeState(file, value) {
  const beside = `${file}.${process.pid}.new`
  const handle = openSync(beside, 'w', 0o600)
  try {
    writeSync(handle, JSON.stringify(value))
    fsyncSync(handle)
  } finally {
    closeSync(handle)
  }
  renameSync(beside, file)
}

/**
 * Reads a state file.
 * @param isRight whether the parsed value is what such a file holds
 * @returns the value, or null when there is none or it was broken
 */
export function readState(file, isRight) {
  if (!existsSync(file)) return null
  try {
    const value = JSON.parse(readFileSync(file, 'utf8'))
    if (value !== null && typeof value === 'object' && isRight(value)) return value
  } catch {
    // Broken: set aside below.
  }
  const aside = `${file}.broken-${Date.now()}`
  renameSync(file, aside)
  say(`${file} was broken; it is set aside as ${aside} and made anew.`)
  return null
}
