/** Where the names of marks stand on a plan: beside their symbols, over no other symbol and no other name. */

export interface Named {
  /** Place of the symbol and width of the name, in pixels; y grows downwards. */
  x: number;
  y: number;
  width: number;
}

export interface Placed {
  /** Which of the marks. */
  at: number;
  /** Where the name begins, and its middle line, from the symbol. */
  dx: number;
  dy: number;
}

type Box = readonly [left: number, top: number, right: number, bottom: number];

const LINE = 18;
const SYMBOL = 9;
const AWAY = 12;
/** More names than this nobody reads. */
const MOST = 400;
const CELL = 64;

/** Boxes by the squares that they touch: what is far away is not looked at. */
class Taken {
  private readonly cells = new Map<string, { box: Box; owner: number }[]>();

  private *keys([left, top, right, bottom]: Box) {
    for (let i = Math.floor(left / CELL); i <= Math.floor(right / CELL); i++)
      for (let j = Math.floor(top / CELL); j <= Math.floor(bottom / CELL); j++) yield `${i} ${j}`;
  }

  add(box: Box, owner: number) {
    for (const key of this.keys(box)) this.cells.set(key, [...(this.cells.get(key) ?? []), { box, owner }]);
  }

  /** Whether something else than its own symbol is in a box. */
  has(box: Box, owner: number): boolean {
    for (const key of this.keys(box))
      for (const other of this.cells.get(key) ?? [])
        if (other.owner !== owner && other.box[0] < box[2] && other.box[2] > box[0] && other.box[1] < box[3] && other.box[3] > box[1]) return true;
    return false;
  }
}

/** Return the names that have room, each at the first free place: right, left, above, below. */
export function placeNames(marks: readonly Named[], view: { width: number; height: number }): Placed[] {
  const taken = new Taken();
  marks.forEach(({ x, y }, at) => taken.add([x - SYMBOL, y - SYMBOL, x + SYMBOL, y + SYMBOL], at));
  const placed: Placed[] = [];
  for (const [at, { x, y, width }] of marks.entries()) {
    if (placed.length >= MOST) break;
    for (const [dx, dy] of [[AWAY, 0], [-AWAY - width, 0], [-width / 2, -AWAY - LINE / 2], [-width / 2, AWAY + LINE / 2]] as const) {
      const box: Box = [x + dx, y + dy - LINE / 2, x + dx + width, y + dy + LINE / 2];
      const inside = box[0] >= 0 && box[1] >= 0 && box[2] <= view.width && box[3] <= view.height;
      if (!inside || taken.has(box, at)) continue;
      taken.add(box, at);
      placed.push({ at, dx, dy });
      break;
    }
  }
  return placed;
}
