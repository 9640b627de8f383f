import Link from 'next/link'

export default function NotFound() {
  return (
    <main className="grid h-screen place-items-center">
      <div className="text-center">
        <h1 className="font-caption text-[26px] font-semibold">There is nothing here.</h1>
        <p className="mt-1 text-graphite">The piece may have been taken off the shelf.</p>
        <Link href="/" className="mt-3 inline-block font-semibold text-verdigris">
          Back to the shelf
        </Link>
      </div>
    </main>
  )
}
