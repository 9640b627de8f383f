/** What a stage says when nothing stands on it. */
export function EmptyStage({ text }: { text: string }) {
  return (
    <p className="pointer-events-none absolute inset-x-0 top-[38%] px-16 text-center font-caption text-[18px] text-graphite">
      {text}
    </p>
  )
}
