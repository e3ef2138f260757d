/** A skyline while it is drawn: its height every two degrees of azimuth, north at both ends. */

export const STEP_DEG = 2;
const COUNT = 360 / STEP_DEG + 1;

export interface Line {
  azimuths_deg: readonly number[];
  elevations_deg: readonly number[];
}

/** The heights of a line of corners, straight between them, all the way round. */
export function heightsOf(line: Line): number[] {
  const { azimuths_deg: azimuths, elevations_deg: elevations } = line;
  const last = azimuths.length - 1;
  if (last < 0) return new Array<number>(COUNT).fill(0);
  const around = [azimuths[last]! - 360, ...azimuths, azimuths[0]! + 360];
  const heights = [elevations[last]!, ...elevations, elevations[0]!];
  return Array.from({ length: COUNT }, (_, n) => {
    const at = n * STEP_DEG;
    const right = around.findIndex((azimuth, k) => k > 0 && azimuth >= at);
    const span = around[right]! - around[right - 1]!;
    const part = span > 0 ? (at - around[right - 1]!) / span : 1;
    return heights[right - 1]! + part * (heights[right]! - heights[right - 1]!);
  });
}

/** The line after a finger has gone from one direction to another: what it passed over stands as high as it went. */
export function drawn(heights: readonly number[], from: Direction, to: Direction): number[] {
  const next = [...heights];
  const [left, right] = from.azimuth <= to.azimuth ? [from, to] : [to, from];
  const first = Math.max(0, Math.round(left.azimuth / STEP_DEG));
  const end = Math.min(COUNT - 1, Math.round(right.azimuth / STEP_DEG));
  for (let n = first; n <= end; n++) {
    const span = right.azimuth - left.azimuth;
    const part = span > 0 ? Math.min(1, Math.max(0, (n * STEP_DEG - left.azimuth) / span)) : 1;
    const height = left.elevation + part * (right.elevation - left.elevation);
    // Close to the ground it is the ground: what was drawn there is wiped off.
    next[n] = height < 1 ? 0 : Math.min(90, height);
  }
  // North stands at both ends.
  if (first === 0) next[COUNT - 1] = next[0]!;
  else if (end === COUNT - 1) next[0] = next[COUNT - 1]!;
  return next;
}

export interface Direction {
  azimuth: number;
  elevation: number;
}

/** The corners of heights: where the line bends. */
export function cornersOf(heights: readonly number[]): { azimuths_deg: number[]; elevations_deg: number[] } {
  const corners = { azimuths_deg: [] as number[], elevations_deg: [] as number[] };
  if (heights.every((height) => height === 0)) return corners;
  heights.forEach((height, n) => {
    const straight = n > 0 && n < heights.length - 1 && Math.abs(heights[n - 1]! + heights[n + 1]! - 2 * height) < 0.05;
    if (straight) return;
    corners.azimuths_deg.push(n * STEP_DEG);
    corners.elevations_deg.push(Math.round(height * 10) / 10);
  });
  return corners;
}
