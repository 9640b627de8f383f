'use client'
import { SlideBar } from '@/components/ui'
import { benchDevice } from '@/lib/bench'
import { useBenchDesk } from '@/lib/bench-desk'
import { useDesk } from '@/lib/store'
import { DepthStrip, DevicePicture } from './pictures'

/** What the device sees before the shot: its two pictures and the depth strip, view by view. */
export function LiveStage() {
  const device = useDesk((d) => benchDevice(d.state))
  const { live, view, set } = useBenchDesk()
  if (!live) return <p className="pt-[30%] text-center font-caption text-[18px] text-graphite">The device looks…</p>
  if ('error' in live)
    return (
      <p role="alert" className="px-16 pt-[30%] text-center font-caption text-[18px] text-madder">
        {live.error}
      </p>
    )
  const at = Math.min(view, live.views - 1)
  return (
    <div className="flex h-full flex-col justify-center gap-3 px-8 pt-12 pb-4" data-testid="live">
      <div className="mx-auto grid w-full max-w-[calc((100vh-430px)*2)] min-w-[420px] grid-cols-2 gap-4">
        <DevicePicture picture={live.picture} which="plain" label="Camera: hatched is clipped, dotted is too dark" />
        <DevicePicture picture={live.picture} which="pattern" label="With the pattern: crisp where it is in focus" />
      </div>
      <div className="mx-auto w-full max-w-[620px]">
        <div className="mx-auto max-w-[430px]">
          <DepthStrip {...device} {...live.meters} />
        </div>
        <div className="flex items-center gap-3 text-[13px]">
          <span>View</span>
          <SlideBar
            label="View"
            said={`view ${at + 1} of ${live.views}`}
            min={0}
            max={live.views - 1}
            value={at}
            onChange={(view) => set({ view })}
            className="min-w-0 flex-1"
          />
          <span className="figure w-14 text-right">
            {at + 1}/{live.views}
          </span>
        </div>
      </div>
    </div>
  )
}
