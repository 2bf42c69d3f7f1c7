import type { WebGLRenderTarget } from "three";

/** Drawing that goes on piece by piece: whoever runs it may wait after each, or give it up. */
export type Steps = Generator<void, void, void>;

/** Draws into a target strip by strip. What goes to the screen is drawn in one go after that: the browser shows what is
 *  there, and forgets it. */
export function* inStrips(target: WebGLRenderTarget, strips: number, draw: () => void): Steps {
  if (strips <= 1) {
    draw();
    yield;
    return;
  }
  const { width, height } = target;
  try {
    target.scissorTest = true;
    for (let i = 0; i < strips; i++) {
      const from = Math.floor((i * height) / strips), to = Math.floor(((i + 1) * height) / strips);
      target.scissor.set(0, from, width, to - from);
      draw();
      yield;
    }
  } finally {
    target.scissorTest = false; // also where it is given up
    target.scissor.set(0, 0, width, height);
  }
}
