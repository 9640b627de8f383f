import type { Metadata } from 'next'
import type { ReactNode } from 'react'
import '@fontsource-variable/instrument-sans'
import '@fontsource-variable/source-serif-4'
import '@fontsource-variable/spline-sans-mono'
import './globals.css'

/** Made for each request: its scripts carry a word that holds for one answer only. */
export const dynamic = 'force-dynamic'

export const metadata: Metadata = {
  title: 'Holosoma',
  description: 'From partial scans of a real piece to one closed, correctly scaled mesh',
}

export default function RootLayout({ children }: { children: ReactNode }) {
  return (
    <html lang="en">
      <body>{children}</body>
    </html>
  )
}
