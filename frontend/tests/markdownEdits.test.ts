import { describe, expect, it } from "vitest";
import {
  around,
  asMessage,
  bullets,
  type Chosen,
  checkedSteps,
  type Edit,
  heading,
  link,
  picture,
  remark,
  shownBy,
  steps,
  table,
} from "../src/screens/articles/markdownEdits";

/** A text with [what is chosen] in brackets, as a choice. */
function chosen(marked: string): Chosen {
  const from = marked.indexOf("⟦");
  const to = marked.indexOf("⟧") - 1;
  return { text: marked.replace(/[⟦⟧]/g, ""), from, to };
}

/** The text after an edit, with what is chosen then. */
function after(marked: string, edit: (given: Chosen) => Edit): string {
  const given = chosen(marked);
  const does = edit(given);
  const text = given.text.slice(0, does.from) + does.insert + given.text.slice(does.to);
  return `${text.slice(0, does.select.from)}⟦${text.slice(does.select.from, does.select.to)}⟧${text.slice(does.select.to)}`;
}

describe("what the buttons do to a text", () => {
  it.each([
    ["press ⟦Start⟧ now", "press **⟦Start⟧** now"],
    ["press **⟦Start⟧** now", "press ⟦Start⟧ now"],
    ["press ⟦⟧ now", "press **⟦words⟧** now"],
  ])("bold: %s", (before, expected) => {
    expect(after(before, (one) => around(one, "**", "words"))).toBe(expected);
  });

  it.each([
    [heading, "a\nWh⟦⟧at\nb", "a\n## What⟦⟧\nb"],
    [heading, "## What⟦⟧", "What⟦⟧"],
    [heading, "- What⟦⟧", "## What⟦⟧"],
    [bullets, "⟦one\ntwo⟧\nthree", "- one\n- two⟦⟧\nthree"],
    [steps, "⟦one\ntwo⟧", "1. one\n2. two⟦⟧"],
    [steps, "⟦1. [ ] one\n2. [x] two⟧", "1. one\n2. two⟦⟧"],
    [checkedSteps, "⟦1. one\n2. two⟧", "1. [ ] one\n2. [ ] two⟦⟧"],
    [checkedSteps, "⟦1. [ ] one\n2. [ ] two⟧", "one\ntwo⟦⟧"],
  ])("lines", (edit, before, expected) => {
    expect(after(before, edit)).toBe(expected);
  });

  it("sets what stands apart into lines of its own", () => {
    expect(after("before⟦⟧after", (one) => remark(one, "Careful"))).toBe("before\n\n> **Careful:** ⟦what to know⟧\n\nafter");
    expect(after("a\n\n⟦hot\nvery⟧", (one) => remark(one, "Tip"))).toBe("a\n\n> **Tip:** ⟦hot\n> very⟧");
    expect(after("a\n⟦⟧\nb", table)).toBe("a\n\n| ⟦What⟧ | How |\n| --- | --- |\n|  |  |\n\nb");
    expect(after("⟦⟧", (one) => picture(one, "gate-1a2b3c4d.png", "the gate", "#small"))).toBe(
      "![⟦the gate⟧](pictures/gate-1a2b3c4d.png#small)",
    );
  });

  it("links what is chosen, or the title of what is linked", () => {
    expect(after("see ⟦this⟧.", (one) => link(one, "/articles/7", "Gates"))).toBe("see [this](/articles/7)⟦⟧.");
    expect(after("see ⟦⟧.", (one) => link(one, "/articles/7", "Gates [old]"))).toBe("see [Gates old](/articles/7)⟦⟧.");
  });

  it("is words alone as a message", () => {
    const body = "Wipe it.\n\n![the gate](pictures/gate-1a2b3c4d.png#half)\n\n1. [ ] one\n2. [x] two\n- [ ] three [ ]";
    expect(asMessage(body)).toBe("Wipe it.\n\n1. one\n2. two\n- three [ ]");
  });

  it("says what a file shows until somebody does", () => {
    expect(shownBy("boarding_gate-2.PNG")).toBe("boarding gate 2");
    expect(shownBy("gate-1a2b3c4d.png")).toBe("gate");
    expect(shownBy(".png")).toBe("picture");
  });
});
