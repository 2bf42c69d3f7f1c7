import { describe, expect, it } from "vitest";
import { aimSun, anglesOf, directionOf } from "./sun";

describe("where the sun stands", () => {
  it("is the same by angles and by direction", () => {
    for (const [azimuth, altitude] of [[0, 0], [90, 30], [200, 75], [359, -5]] as const) {
      const back = anglesOf(directionOf(azimuth, altitude));
      expect(back.azimuth).toBeCloseTo(azimuth, 1);
      expect(back.altitude).toBeCloseTo(altitude, 1);
    }
    expect(directionOf(90, 0)[0]).toBeCloseTo(1, 9);
  });
  it("keeps to the level's north", () => {
    expect(aimSun({ north_deg: 30 } as never, [1, 0, 0]).fields).toEqual({ "environment.sun.azimuth_deg": 60, "environment.sun.altitude_deg": 0, "environment.sun.place": null });
  });
});
