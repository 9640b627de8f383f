/**
 * What operations tell beyond figures and findings, by their names: lists, trees and charts, as plain data. An
 * operation that tells such adds itself where it is defined.
 */
// eslint-disable-next-line @typescript-eslint/no-empty-object-type -- filled where operations are defined
export interface OperationDetails {}
export type DetailsOf<N extends string> = N extends keyof OperationDetails ? OperationDetails[N] : undefined

/** What a step of one operation told in detail; null for other steps, and for steps that told nothing. */
export function detailsOf<N extends keyof OperationDetails>(
  step: { readonly operation: string; readonly details: unknown } | null | undefined,
  operation: N,
): OperationDetails[N] | null {
  return step?.operation === operation ? ((step.details as OperationDetails[N] | null | undefined) ?? null) : null
}
