import { describe, expect, it } from "vitest";
import { narrowed } from "../src/screens/portal/answers";

const article = (id: number, title: string, starts = "") => ({ id, title, starts, kind: "how to", changed_s: 0 });
const SUBJECTS = [
  { subject: "Boarding", articles: [article(1, "A gate reads nothing", "Wipe the glass."), article(2, "Café till at the gate")] },
  { subject: "Mail", articles: [article(3, "Mail on the phone", "Open the settings.")] },
];
const ids = (typed: string) => narrowed(SUBJECTS, typed).flatMap((one) => one.articles.map((found) => found.id));

describe("answers by subject, narrowed by words", () => {
  it.each([
    ["", [1, 2, 3]],
    ["   ", [1, 2, 3]],
    ["gate", [1, 2]],
    ["GATE glass", [1]],
    ["cafe", [2]],
    ["sett", [3]],
    ["board", [1, 2]],
    ["ettings", []],
    ["(((", [1, 2, 3]],
    ["zzz", []],
  ])("“%s”", (typed, expected) => {
    expect(ids(typed)).toEqual(expected);
  });

  it("leaves out a subject of which nothing is left", () => {
    expect(narrowed(SUBJECTS, "phone").map((one) => one.subject)).toEqual(["Mail"]);
  });
});
