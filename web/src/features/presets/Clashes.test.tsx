// @vitest-environment jsdom
import { cleanup, render, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, describe, expect, it, vi } from "vitest";
import { clashName, Clashes, type Clash } from "./Clashes";

afterEach(cleanup);

const strength: Clash = { part: "lights", id: "lamp", path: "strength", base: 1, mine: 2, theirs: 3 };
const gone: Clash = { part: "lights", id: "old", mine: { id: "old" } };
const fog: Clash = { path: "fog.haze.max", base: 0.9, mine: 0.5, theirs: 0.7 };

describe("Clashes", () => {
  it("are named as the service names them", () => {
    expect([strength, gone, fog].map(clashName)).toEqual(["lights/lamp/strength", "lights/old", "fog.haze.max"]);
  });

  it("show both values, and say whose holds", async () => {
    const choose = vi.fn();
    render(<Clashes clashes={[strength, gone, fog]} names={(id) => `The ${id}`} taken={["fog.haze.max"]} setTaken={choose} here="this level" there="the preset" />);
    const radio = (name: string) => screen.getByRole<HTMLInputElement>("radio", { name });
    expect(radio("The lamp strength: this level").checked).toBe(true);
    expect(radio("Level fog haze max: the preset").checked).toBe(true);
    expect(screen.getByText("removed")).toBeTruthy();
    await userEvent.click(radio("The lamp strength: the preset"));
    expect(choose).toHaveBeenCalledWith(["fog.haze.max", "lights/lamp/strength"]);
    await userEvent.click(radio("Level fog haze max: this level"));
    expect(choose).toHaveBeenLastCalledWith([]);
  });

  it("are silent where there are none", () => {
    const { container } = render(<Clashes clashes={[]} names={String} taken={[]} setTaken={() => {}} here="" there="" />);
    expect(container.textContent).toBe("");
  });
});
