import type { WebGLRenderTarget } from "three";

/** Drawing that goes on piece by piece: whoever runs it may wait after each, or give it up. */
export type Steps = Generator<void, void, void>;

/** Draws into a target strip by strip. To the screen it is one piece without a wait after it: the browser shows what is
 *  there then, and forgets it, so all that belongs to the picture has to be drawn in one go. */
export function* inStrips(target: WebGLRenderTarget | null, strips: number, draw: () => void): Steps {
  if (!target) return draw();
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
