/**
 * Surface that so many points of a take stand for, mm²: each for the square of the distance to its neighbour. Said
 * before a cut and after it by the same rule, so that the same points are the same area.
 */
export const areaOfPoints = (count: number, spacingMm: number): number => count * spacingMm * spacingMm
