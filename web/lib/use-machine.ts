'use client'
import { useEffect, useState } from 'react'
import { api, type Machine } from './api'

/** The machine that computes, asked for anew whenever `key` changes; null until it has answered. */
export function useMachine(key: unknown): Machine | null {
  const [machine, setMachine] = useState<Machine | null>(null)
  useEffect(() => {
    let current = true
    api.machine().then(
      (m) => current && setMachine(m),
      () => undefined,
    )
    return () => {
      current = false
    }
  }, [key])
  return machine
}
