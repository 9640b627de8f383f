import { format } from 'date-fns'

/* Moments as people write them here; all of them come as ISO 8601 in UTC and are shown in the time of the place. */

/** 3 Nov 2026, 14:05 */
export const when = (at: string): string => format(new Date(at), 'd MMM yyyy, HH:mm')
/** 14:05 */
export const timeOfDay = (at: string | number): string => format(new Date(at), 'HH:mm')
/** 03/11, 14:05 */
export const dayAndTime = (at: string): string => format(new Date(at), 'dd/MM, HH:mm')
/** 2026-11-03 14:05 UTC: for what is read elsewhere, and later. */
export const whenUtc = (at: string): string => `${new Date(at).toISOString().slice(0, 16).replace('T', ' ')} UTC`
