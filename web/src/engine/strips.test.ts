import { describe, expect, it } from "vitest";
import { Vector4, type WebGLRenderTarget } from "three";
import { inStrips } from "./strips";

const targetOf = (width: number, height: number) => ({ width, height, scissorTest: false, scissor: new Vector4(0, 0, width, height) }) as unknown as WebGLRenderTarget;

describe("drawing in strips", () => {
  it("draws each row once, and lets go of the scissors", () => {
    const target = targetOf(50, 101);
    const rows: number[] = [];
    for (const _ of inStrips(target, 7, () => {
      expect(target.scissorTest).toBe(true);
      for (let y = 0; y < target.scissor.w; y++) rows.push(target.scissor.y + y);
    })) {
      void _;
    }
    expect(rows).toEqual(Array.from({ length: 101 }, (_, y) => y));
    expect(target.scissorTest).toBe(false);
    expect(target.scissor.toArray()).toEqual([0, 0, 50, 101]);
  });

  it("lets go of the scissors where it is given up", () => {
    const target = targetOf(50, 100);
    const steps = inStrips(target, 4, () => undefined);
    steps.next();
    expect(target.scissorTest).toBe(true);
    steps.return();
    expect(target.scissorTest).toBe(false);
  });
});
