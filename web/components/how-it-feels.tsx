'use client'
import { useState } from 'react'
import { HANDS, KEY_ACTS, keyProblem, keyWord, USUAL_KEYS, useSettings, type Hand, type KeyAct } from '@/lib/settings'
import { Plain, RadioList, Tick } from './ui'

/** How a person likes to work: the hand on the view, keys, day or night. Kept in this browser. */
export function HowItFeels() {
  const { hand, night, keys, set } = useSettings()
  const [asking, setAsking] = useState<KeyAct | null>(null)
  const [problem, setProblem] = useState<string | null>(null)
  const press = (act: KeyAct, event: React.KeyboardEvent): void => {
    if (asking !== act || ['Shift', 'Control', 'Alt', 'Meta', 'Tab'].includes(event.key)) return
    event.preventDefault()
    event.stopPropagation()
    if (event.key === 'Escape') {
      setAsking(null)
      setProblem(null)
      return
    }
    const key = /^\p{L}$/u.test(event.key) ? event.key.toLowerCase() : event.key
    const why = keyProblem(keys, act, key)
    setProblem(why)
    if (why === null) {
      set({ keys: { ...keys, [act]: key } })
      setAsking(null)
    }
  }
  return (
    <>
      <section className="mb-3">
        <h3 className="mb-1 text-[13px] font-semibold text-graphite">Keys that can be chosen</h3>
        <dl className="grid grid-cols-[150px_1fr] items-center gap-y-1 text-[13.5px]">
          {(Object.keys(KEY_ACTS) as KeyAct[]).map((act) => (
            <div key={act} className="contents">
              <dt>
                <button
                  type="button"
                  aria-label={`Key for: ${KEY_ACTS[act][0]}. Now ${keyWord(keys[act])}`}
                  aria-pressed={asking === act}
                  onClick={() => {
                    setProblem(null)
                    setAsking(asking === act ? null : act)
                  }}
                  onKeyDown={(e) => press(act, e)}
                  onBlur={() => setAsking(null)}
                  className="figure min-h-7 rounded border border-hair px-2 hover:border-graphite aria-pressed:border-woad aria-pressed:text-woad"
                >
                  {asking === act ? 'press a key' : keyWord(keys[act])}
                </button>
              </dt>
              <dd>{KEY_ACTS[act][0]}</dd>
            </div>
          ))}
        </dl>
        {problem && (
          <p role="alert" className="mt-1 text-[13px] text-madder">
            {problem}
          </p>
        )}
        <Plain className="mt-1.5" onClick={() => set({ keys: USUAL_KEYS })}>
          The usual keys
        </Plain>
      </section>
      <section className="mb-3">
        <h3 className="mb-1 text-[13px] font-semibold text-graphite">The hand on the view</h3>
        <RadioList
          label="The hand on the view"
          value={hand}
          options={(Object.keys(HANDS) as Hand[]).map((h) => ({ value: h, word: HANDS[h][0], note: HANDS[h][1] }))}
          onChange={(h) => set({ hand: h })}
        />
      </section>
      <Tick checked={night} onChange={(v) => set({ night: v })}>
        Dark, for work at night
      </Tick>
    </>
  )
}
