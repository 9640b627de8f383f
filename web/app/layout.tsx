import type { Metadata } from 'next'
import { cookies } from 'next/headers'
import type { ReactNode } from 'react'
import '@fontsource-variable/instrument-sans'
import '@fontsource-variable/source-serif-4'
import '@fontsource-variable/spline-sans-mono'
import { SettingsTaken } from '@/components/settings-taken'
import { NIGHT_COOKIE } from '@/lib/night'
import './globals.css'

/** Made for each request: its scripts carry a word that holds for one answer only. */
export const dynamic = 'force-dynamic'

export const metadata: Metadata = {
  title: 'Holosoma',
  description: 'From partial scans of a real piece to one closed, correctly scaled mesh',
}

export default async function RootLayout({ children }: { children: ReactNode }) {
  const night = (await cookies()).get(NIGHT_COOKIE)?.value === '1'
  return (
    <html lang="en" {...(night && { 'data-night': '' })}>
      <body>
        <SettingsTaken />
        {children}
      </body>
    </html>
  )
}
