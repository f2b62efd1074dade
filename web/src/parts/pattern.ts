// Each region colour has its own line pattern, so that regions differ without colour, too.
const DASHES = [[], [8, 3], [2, 3], [8, 3, 2, 3], [14, 4], [4, 2, 4, 6], [1, 4], [12, 3, 2, 3, 2, 3]]

export function dashes(colour: number): number[] {
  return DASHES[colour % DASHES.length]
}
