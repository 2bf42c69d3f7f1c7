import { describe, expect, it } from "vitest";
import { csvField } from "./Audit";

describe("csvField", () => {
  it("quotes what would end a field", () => {
    expect(csvField("plain")).toBe("plain");
    expect(csvField('say "hi", twice')).toBe('"say ""hi"", twice"');
    expect(csvField("two\nlines")).toBe('"two\nlines"');
  });
  it("keeps a table program from computing what people wrote", () => {
    expect(csvField("=1+1")).toBe("'=1+1");
    expect(csvField("@ivo")).toBe("'@ivo");
  });
});
