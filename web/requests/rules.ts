import { colourRules } from '@/stations/colour/requests'
import { mendRules } from '@/stations/mend/requests'
import { joinRules } from '@/stations/join/requests'
import { skinRules } from '@/stations/skin/requests'
import { takeRules } from '@/stations/take/requests'
import { tidyRules } from '@/stations/tidy/requests'
import type { Rules } from './request'

/** What the stations know of their operations beyond what these declare; an operation that needs nothing is in none. */
export const RULES: Rules = { ...takeRules, ...tidyRules, ...joinRules, ...skinRules, ...mendRules, ...colourRules }
