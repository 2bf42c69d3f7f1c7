// @vitest-environment jsdom
import { afterEach, describe, expect, it, vi } from "vitest";
import { cleanup, fireEvent, render, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { HandContext } from "./hand";
import { NumberField } from "./NumberField";

afterEach(cleanup);
const field = () => screen.getByRole<HTMLInputElement>("textbox", { name: "Range" });

describe("a number field", () => {
  it("takes arithmetic and units, and shows its own value again on Escape", async () => {
    const commit = vi.fn();
    render(<NumberField label="Range" unit="m" min={0} max={100} value={5} onCommit={commit} />);
    await userEvent.type(field(), "2*150 cm{Enter}", { initialSelectionStart: 0, initialSelectionEnd: 9 });
    expect(commit).toHaveBeenLastCalledWith(3);
    await userEvent.clear(field());
    await userEvent.type(field(), "77{Escape}");
    expect(field().value).toBe("5");
    await userEvent.keyboard("8{Escape}"); // typed over it, not behind it
    expect(field().value).toBe("5");
    expect(commit).toHaveBeenCalledTimes(1);
    await userEvent.keyboard("{Escape}80{Enter}"); // nothing was typed before this Escape
    expect(commit).toHaveBeenLastCalledWith(80);
  });
  it("says beside it what cannot be, keeps the text, and changes nothing", async () => {
    const commit = vi.fn();
    render(<NumberField label="Range" unit="m" min={0} max={100} value={5} onCommit={commit} />);
    await userEvent.clear(field());
    await userEvent.type(field(), "400{Enter}");
    expect(screen.getByRole("alert").textContent).toBe("At most 100 m is allowed.");
    expect(field().value).toBe("400");
    expect(field().getAttribute("aria-invalid")).toBe("true");
    expect(commit).not.toHaveBeenCalled();
  });
  it("is not changed under the hands of who types", async () => {
    const { rerender } = render(<NumberField label="Range" unit="m" value={5} onCommit={vi.fn()} />);
    await userEvent.clear(field());
    await userEvent.type(field(), "12");
    rerender(<NumberField label="Range" unit="m" value={9} onCommit={vi.fn()} />);
    expect(field().value).toBe("12");
  });
  it("shows several values as a span and changes each from its own", async () => {
    const each = vi.fn();
    render(<NumberField label="Range" unit="m" value={40} span={[40, 90]} onCommit={vi.fn()} onEach={each} />);
    expect(field().value).toBe("40 to 90");
    await userEvent.clear(field());
    await userEvent.type(field(), "-20%{Enter}");
    expect(each).toHaveBeenCalledOnce();
    expect((each.mock.calls[0]![0] as (v: number) => number)(50)).toBe(40);
  });
  it("steps with the arrows as one gesture, by tens with Shift", async () => {
    const commit = vi.fn();
    render(<NumberField label="Range" unit="m" step={0.5} max={7} value={5} onCommit={commit} />);
    await userEvent.type(field(), "{ArrowUp}{Shift>}{ArrowUp}{/Shift}");
    expect(commit.mock.calls).toEqual([[5.5, "step Range"], [7, "step Range"]]);
  });
  it("saves while its label is dragged, as one that is let go, or taken back by Escape", () => {
    const [held, commit] = [vi.fn(), vi.fn()];
    const hand = { letGo: vi.fn(), takeBack: vi.fn() };
    render(
      <HandContext value={hand}>
        <NumberField label="Range" step={1} value={5} onHeld={held} onCommit={commit} />
      </HandContext>,
    );
    const label = screen.getByText("Range");
    label.setPointerCapture = () => undefined;
    const pull = (x: number) => fireEvent.pointerMove(label, { clientX: x });
    fireEvent.pointerDown(label, { button: 0, clientX: 100 });
    pull(110);
    pull(120);
    expect(held.mock.calls).toEqual([[10], [15]]);
    expect(field().value).toBe("15");
    fireEvent.pointerUp(label);
    expect(hand.letGo).toHaveBeenCalledOnce();
    expect(commit).not.toHaveBeenCalled();

    fireEvent.pointerDown(label, { button: 0, clientX: 100 });
    pull(140);
    fireEvent.keyDown(window, { key: "Escape" });
    expect(hand.takeBack).toHaveBeenCalledOnce();
    expect(field().value).toBe("5");
    pull(160); // nothing is held any more
    fireEvent.pointerUp(label);
    expect(held).toHaveBeenCalledTimes(3);
    expect(hand.letGo).toHaveBeenCalledOnce();
  });
  it("tells that there is no value of its own, takes one, and takes it away", async () => {
    const [commit, clear] = [vi.fn(), vi.fn()];
    const { rerender } = render(<NumberField label="Range" value={0} none={{ words: "as the level", now: true, clear }} onCommit={commit} />);
    expect(field().value).toBe("");
    expect(field().placeholder).toBe("as the level");
    await userEvent.type(field(), "0{Enter}");
    expect(commit).toHaveBeenLastCalledWith(0);
    rerender(<NumberField label="Range" value={0} none={{ words: "as the level", now: false, clear }} onCommit={commit} />);
    expect(field().value).toBe("0");
    await userEvent.clear(field());
    await userEvent.type(field(), "{Enter}");
    expect(clear).toHaveBeenCalledOnce();
  });
});
