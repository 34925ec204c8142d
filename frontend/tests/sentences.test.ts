import { describe, expect, it } from "vitest";
import { type FieldWords, isMeant, leafSentence, operatorWords } from "../src/parts/condition/words";
import table from "../../tests/core/sentences.jsonl?raw";
import type { Leaf } from "../src/parts/condition/tree";

interface Case {
  about: FieldWords;
  leaf: Leaf;
  says: string;
  note: string;
}

const cases = table
  .trim()
  .split("\n")
  .map((line) => JSON.parse(line) as Case);

describe("a condition's words", () => {
  it.each(cases.map((one) => [one.note, one] as const))("say %s as the core does", (_, { about, leaf, says }) => {
    expect(leafSentence(leaf, about)).toBe(says);
  });

  it("say that a condition is half made", () => {
    expect(leafSentence({ field: "service", op: "is" }, { label: "service", type: "choice" })).toBe("service …");
  });

  it("offer operators without signs", () => {
    for (const op of ["<", "<=", ">", ">=", "is empty", "changed"]) expect(operatorWords(op, "number")).not.toMatch(/[<>=]|is empty/);
    expect(operatorWords("is empty", "person")).toBe("is nobody");
    expect(operatorWords("before", "instant")).toBe("before");
  });

  it("find a field by what people call it", () => {
    const assignee = { label: "assignee", synonyms: ["assigned to", "agent"] };
    expect(isMeant(assignee, "assign")).toBe(true);
    expect(isMeant(assignee, "Agent ")).toBe(true);
    expect(isMeant(assignee, "device")).toBe(false);
  });
});
