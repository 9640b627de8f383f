'use client'
import { STICK_CAUTION, matSheet, standSheets, type Sheet, type DotSettings } from '@holosoma/core/plan'
import { Group, Plain } from '@/components/ui'
import { usePlan, usePlanValue } from '@/lib/plan-desk'
import { download, sheetsToPdf } from '@/lib/sheets'
import { attempt, useDesk } from '@/lib/store'
import { NumberRow, Pick } from '@/components/fields'

const WHERE: readonly (readonly [DotSettings['where'], string])[] = [
  ['none', 'none'],
  ['mat', 'on a mat'],
  ['stands', 'on folded stands'],
  ['piece', 'on the piece'],
]

/** Dots: where, how many are in view, and the sheets to print. */
export function DotsGroup() {
  const plan = usePlanValue()!
  const details = usePlan((p) => p.details)
  const change = usePlan((p) => p.change)
  const set = usePlan((p) => p.set)
  const piece = useDesk((d) => d.state.piece)
  const { dots } = plan
  const put = (d: Partial<DotSettings>): void => change({ ...plan, dots: { ...dots, ...d } })
  const laid = details?.dots
  const title = `${piece.name} ${piece.number}`.trim()
  const sheets = (): Sheet[] =>
    dots.where === 'mat'
      ? [matSheet(laid!.layout, dots, laid!.footRadiusMm, title)]
      : standSheets(laid!.layout, dots, laid!.stands, title)
  const file = title.replace(/[^\p{L}\p{N}]+/gu, '-').replace(/^-|-$/g, '') || 'dots'
  return (
    <Group title={`Dots: ${WHERE.find(([w]) => w === dots.where)![1]}`}>
      <Pick
        label="Where"
        value={dots.where}
        options={WHERE}
        onChange={(where) => {
          put({ where })
          if (where !== 'none') set({ view: 'dots' })
        }}
      />
      {dots.where !== 'none' && (
        <>
          <NumberRow
            label="Diameter"
            unit="mm"
            value={dots.diameterMm}
            onChange={(diameterMm) => put({ diameterMm })}
          />
          <NumberRow
            label="Apart, at least"
            unit="mm"
            value={dots.distanceMm}
            onChange={(distanceMm) => put({ distanceMm })}
          />
          {dots.where === 'mat' && (
            <NumberRow label="Edge of the mat" unit="mm" value={dots.matMm} onChange={(matMm) => put({ matMm })} />
          )}
          {dots.where === 'stands' && (
            <NumberRow
              label="Stands"
              unit=""
              value={dots.stands}
              onChange={(v) => put({ stands: Math.max(1, Math.round(v)) })}
            />
          )}
          {dots.where === 'piece' && (
            <>
              <NumberRow
                label="Away from edges by"
                unit="mm"
                value={dots.marginMm}
                onChange={(marginMm) => put({ marginMm })}
              />
              <NumberRow
                label="Thickness"
                unit="mm"
                value={dots.thicknessMm}
                onChange={(thicknessMm) => put({ thicknessMm })}
              />
              <Pick
                label="Their discs"
                value={dots.discs}
                options={[
                  ['refill', 'refill flat'],
                  ['move', 'move the dots, take again'],
                ]}
                onChange={(discs) => put({ discs })}
              />
              <p className="text-[12.5px] text-graphite">
                Dots {dots.thicknessMm} mm thick stand proud by as much. {STICK_CAUTION.text}
              </p>
            </>
          )}
          <Pick
            label="Dots are"
            value={dots.reusable ? 'yes' : 'no'}
            options={[
              ['no', 'used up: count them'],
              ['yes', 'used again'],
            ]}
            onChange={(v) => put({ reusable: v === 'yes' })}
          />
          <NumberRow
            label="Device tells distances apart from"
            unit="mm"
            value={dots.errorMm}
            onChange={(errorMm) => put({ errorMm })}
          />
          {laid && (
            <>
              <p className="text-[13px]" data-testid="dots">
                {laid.layout.positions.length / 3} dots,{' '}
                {Number.isFinite(laid.layout.closestMm)
                  ? `${laid.layout.closestMm.toFixed(1)} mm apart at least`
                  : 'alone'}
                ;{' '}
                {laid.layout.alike === 0
                  ? 'no two neighbourhoods alike'
                  : `${laid.layout.alike} pairs of neighbourhoods alike`}
                .
              </p>
              <table className="w-full text-[13px]">
                <tbody>
                  {plan.takes.map((t, i) => (
                    <tr key={t.name} className="border-t border-rule">
                      <th scope="row" className="py-1 text-left font-normal text-graphite">
                        In view, {t.name}
                      </th>
                      <td className="figure text-right">
                        {laid.inView[i] ? `${laid.inView[i].least} at least, usually ${laid.inView[i].median}` : ''}
                      </td>
                    </tr>
                  ))}
                </tbody>
              </table>
            </>
          )}
          <Plain onClick={() => put({ seed: dots.seed + 1 })}>Another layout</Plain>
          {laid && dots.where !== 'piece' && laid.layout.positions.length > 0 && (
            <div className="flex gap-2">
              <Plain
                className="flex-1"
                onClick={() =>
                  attempt(async () =>
                    sheets().forEach((s, i) =>
                      download(
                        `${file}-${dots.where}${i > 0 ? `-${i + 1}` : ''}.svg`,
                        new Blob([s.svg], { type: 'image/svg+xml' }),
                      ),
                    ),
                  )
                }
              >
                SVG to print
              </Plain>
              <Plain
                className="flex-1"
                onClick={() => attempt(async () => download(`${file}-${dots.where}.pdf`, await sheetsToPdf(sheets())))}
              >
                PDF to print
              </Plain>
            </div>
          )}
        </>
      )}
    </Group>
  )
}
