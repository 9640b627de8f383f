'use client'
import { Plain } from './ui'

export function PrintButton() {
  return (
    <Plain className="no-print float-right" onClick={() => window.print()}>
      Print
    </Plain>
  )
}
