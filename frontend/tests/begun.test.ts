import { describe, expect, it } from "vitest";
import { resumed } from "../src/screens/rulebook/edits";

const HOUR = 3_600_000;
const at = 100 * HOUR;
const begun = { base: { owner: "Bram" }, sent: [{ owner: "" }], value: { owner: "Joss" }, at };

describe("an entry that is opened again", () => {
  it.each([
    ["nothing was begun", { owner: "Bram" }, null, { value: { owner: "Bram" }, base: { owner: "Bram" } }],
    ["nothing of it had arrived", { owner: "Bram" }, begun, { value: { owner: "Joss" }, base: { owner: "Bram" } }],
    ["what was sent before had arrived", { owner: "" }, begun, { value: { owner: "Joss" }, base: { owner: "" } }],
    ["all had arrived", { owner: "Joss" }, begun, { value: { owner: "Joss" }, base: { owner: "Joss" } }],
    [
      "somebody else had changed it: both are there to choose from",
      { owner: "Marit" },
      begun,
      { value: { owner: "Joss" }, base: { owner: "Bram" } },
    ],
  ])("goes on where it was when %s", (_, stored, kept, expected) => {
    expect(resumed(stored, kept, at + HOUR)).toEqual(expected);
  });
  it("forgets after a day", () => {
    expect(resumed({ owner: "Bram" }, begun, at + 25 * HOUR).value).toEqual({ owner: "Bram" });
  });
});
