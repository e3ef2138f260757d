import { describe, expect, it } from "vitest";
import { cornersOf, drawn, heightsOf, STEP_DEG } from "./skyline";

const at = (heights: readonly number[], azimuth: number) => heights[azimuth / STEP_DEG];

describe("a skyline while it is drawn", () => {
  it("stands as high as its corners, straight between them, and over north", () => {
    const wall = heightsOf({ azimuths_deg: [200, 200, 290, 290], elevations_deg: [0, 35, 35, 0] });
    expect([at(wall, 100), at(wall, 250), at(wall, 300)]).toEqual([0, 35, 0]);
    const overNorth = heightsOf({ azimuths_deg: [20, 340], elevations_deg: [10, 30] });
    expect([at(overNorth, 0), at(overNorth, 360), at(overNorth, 180)]).toEqual([20, 20, 20]);
    expect(heightsOf({ azimuths_deg: [0, 100, 360], elevations_deg: [5, 5, 5] }).every((height) => height === 5)).toBe(true);
    expect(heightsOf({ azimuths_deg: [], elevations_deg: [] }).every((height) => height === 0)).toBe(true);
  });

  it("is raised where a finger goes, and wiped off along the ground", () => {
    const ground = heightsOf({ azimuths_deg: [], elevations_deg: [] });
    const bank = drawn(ground, { azimuth: 100, elevation: 10 }, { azimuth: 120, elevation: 20 });
    expect([at(bank, 98), at(bank, 100), at(bank, 110), at(bank, 120), at(bank, 122)]).toEqual([0, 10, 15, 20, 0]);
    const back = drawn(bank, { azimuth: 120, elevation: 0.4 }, { azimuth: 110, elevation: 0.4 });
    expect([at(back, 106), at(back, 112)]).toEqual([13, 0]);
    const north = drawn(ground, { azimuth: 358, elevation: 8 }, { azimuth: 360, elevation: 8 });
    expect([at(north, 0), at(north, 360)]).toEqual([8, 8]);
  });

  it("comes back from its corners as it was", () => {
    const drawnOnce = drawn(heightsOf({ azimuths_deg: [], elevations_deg: [] }), { azimuth: 40, elevation: 12 }, { azimuth: 80, elevation: 30 });
    const again = heightsOf(cornersOf(drawnOnce));
    again.forEach((height, n) => expect(height).toBeCloseTo(drawnOnce[n]!, 1));
    expect(cornersOf(drawnOnce).azimuths_deg.length).toBeLessThan(10);
    expect(cornersOf(new Array<number>(181).fill(0))).toEqual({ azimuths_deg: [], elevations_deg: [] });
  });
});
