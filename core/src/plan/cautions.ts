import type { Brief } from '../brief/brief'
import { needsCoat } from '../brief/requirements'
import type { Plan } from './plan'

/*
 * Where the work can hurt someone or the piece. General advice; the sheet of the product, local rules, the owner and
 * qualified people come first.
 */

export interface Caution {
  readonly id: string
  readonly text: string
}

export const DEFER = 'The product’s safety sheet, local rules, the owner and qualified people come first.'

export const COAT_CAUTION: Caution = {
  id: 'coat',
  text:
    'Coating spray: flammable propellant and fine dust. Outdoors or under extraction, away from ' +
    'flames and hot lamps, with a fitted particle and vapour mask and eye protection; let it ' +
    'settle. Never on an original, porous, painted, gilded, waxed, organic, archaeological or ' +
    'food-contact surface without the recorded word of owner and conservator. Test on a hidden ' +
    'spot; write down what was used.',
}
export const STICK_CAUTION: Caution = {
  id: 'stick',
  text:
    'Adhesive dots and putty can lift paint and leave grease. The same permission is needed as ' +
    'for a coat; dots on mat or stands are kinder.',
}
export const TURN_CAUTION: Caution = {
  id: 'turn',
  text:
    'Turning: two people for heavy or top-heavy pieces, gloves as the material asks, a padded ' +
    'surface, no lifting by handles or rims. An original is turned only with its owner’s leave.',
}
export const FLICKER_CAUTION: Caution = {
  id: 'flicker',
  text: 'The projector flickers: warn people who are sensitive to flashing light; never at open eyes.',
}
export const DROP_CAUTION: Caution = {
  id: 'drop',
  text: 'Handheld: wrist strap over the piece, never from a ladder alone; someone minds the cable.',
}
export const PEOPLE_CAUTION: Caution = {
  id: 'people',
  text:
    'People: ask for consent; no laser or bright projector at eyes; hold still about 30 s; leave ' +
    '3 to 4.5 m of room round a person for a depth camera.',
}

/** What to mind with a laser of that class (IEC 60825-1); null for none. */
export function laserCaution(laserClass: string): Caution | null {
  if (laserClass === 'none') return null
  const strong = ['3R', '3B', '4'].includes(laserClass)
  return {
    id: 'laser',
    text:
      `Laser class ${laserClass} (IEC 60825-1): do not stare into the ` +
      `beam${strong ? '; controlled area, trained person, no optical aids, mind mirrors and polished pieces' : ''}; ` +
      'never at faces.',
  }
}

/** Cautions that this brief and plan meet, in the order of the work. */
export function cautionsOf(brief: Brief, plan: Plan): Caution[] {
  const out: Caution[] = []
  const laser = laserCaution(plan.device.laserClass)
  if (plan.device.flickers) out.push(FLICKER_CAUTION)
  if (laser) out.push(laser)
  if (plan.takes.some((t) => t.kind === 'handheld')) out.push(DROP_CAUTION)
  if (plan.dots.where === 'piece' || plan.takes.some((t) => t.support === 'putty')) out.push(STICK_CAUTION)
  if (!brief.person && (plan.coats > 0 || brief.zones.some(needsCoat))) out.push(COAT_CAUTION)
  if (new Set(plan.takes.map((t) => t.pose)).size > 1) out.push(TURN_CAUTION)
  if (brief.person) out.push(PEOPLE_CAUTION)
  return out
}
