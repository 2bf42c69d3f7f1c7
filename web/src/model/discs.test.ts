import { describe, expect, it } from "vitest";
import { aimDisc, anglesOf, directionOf } from "./discs";

describe("where the sun and the moon stand", () => {
  it("is the same by angles and by direction", () => {
    for (const [azimuth, altitude] of [[0, 0], [90, 30], [200, 75], [359, -5]] as const) {
      const back = anglesOf(directionOf(azimuth, altitude));
      expect(back.azimuth).toBeCloseTo(azimuth, 1);
      expect(back.altitude).toBeCloseTo(altitude, 1);
    }
    expect(directionOf(90, 0)[0]).toBeCloseTo(1, 9);
  });
  it("keeps to the level's north", () => {
    expect(aimDisc("sun", { north_deg: 30 } as never, [1, 0, 0]).fields).toEqual({ "environment.sun.azimuth_deg": 60, "environment.sun.altitude_deg": 0, "environment.sun.place": null });
  });
  it("adds a moon that is not there yet", () => {
    expect(aimDisc("moon", undefined, [1, 1, 0])).toMatchObject({ label: "Moon at 90°, 45° high", fields: { "environment.moon.lux": 0.2, "environment.moon.altitude_deg": 45 } });
    expect(aimDisc("moon", { north_deg: 0 } as never, [0, 1, 0]).fields).not.toHaveProperty("environment.moon.lux");
  });
});
