'use client'
import { useEffect } from 'react'
import { useSettings } from '@/lib/settings'

/** Takes up what this browser keeps of how a person likes to work, once the page stands. */
export function SettingsTaken() {
  useEffect(() => void useSettings.persist.rehydrate(), [])
  return null
}
