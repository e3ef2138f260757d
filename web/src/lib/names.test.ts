import { expect, test } from "vitest";
import { placeNames, type Named, type Placed } from "./names";

const VIEW = { width: 800, height: 600 };
const box = (mark: Named, { dx, dy }: Placed) => [mark.x + dx, mark.y + dy - 9, mark.x + dx + mark.width, mark.y + dy + 9] as const;
const overlap = (a: readonly number[], b: readonly number[]) => a[0]! < b[2]! && a[2]! > b[0]! && a[1]! < b[3]! && a[3]! > b[1]!;

test("a mark alone has its name at its right, at the edge at its left", () => {
  expect(placeNames([{ x: 100, y: 100, width: 40 }], VIEW)).toEqual([{ at: 0, dx: 12, dy: 0 }]);
  expect(placeNames([{ x: 790, y: 100, width: 40 }], VIEW)).toEqual([{ at: 0, dx: -52, dy: 0 }]);
});

test("no name stands over another name or another symbol, however close they are", () => {
  const marks = Array.from({ length: 3000 }, (_, n) => ({ x: (n * 137.5) % 800, y: (n * 89.3) % 600, width: 30 + (n % 5) * 8 }));

  const placed = placeNames(marks, VIEW);

  const boxes = placed.map((item) => box(marks[item.at]!, item));
  boxes.forEach((one, at) => boxes.slice(at + 1).forEach((other) => expect(overlap(one, other)).toBe(false)));
  placed.forEach((item, n) =>
    marks.forEach(({ x, y }, at) => at !== item.at && expect(overlap(boxes[n]!, [x - 9, y - 9, x + 9, y + 9])).toBe(false)),
  );
});

test("what had no room has it once the plan is closer", () => {
  const far = [0, 1, 2, 3, 4].map((n) => ({ x: 300 + 6 * n, y: 300 + 4 * n, width: 60 }));
  const near = far.map(({ x, y, width }) => ({ x: 400 + (x - 312) * 16, y: 300 + (y - 308) * 16, width }));

  expect(placeNames(far, VIEW).length).toBeLessThan(5);
  expect(placeNames(near, VIEW)).toHaveLength(5);
});
