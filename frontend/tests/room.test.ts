import { describe, expect, it } from "vitest";
import { type Audience, dueOf, fileSize, mentions, newestFiles, nextAudience, type Room } from "../src/screens/rooms/roomWords";

const audience = (id: number, due_s: number | null): Audience => ({
  id,
  name: `audience ${id}`,
  minutes: 30,
  to: [],
  on_portal: false,
  on_status_page: false,
  due_s,
  people: 1,
});

describe("an audience", () => {
  it.each<[string, number | null, string, boolean]>([
    ["hears in a while", 1_600, "in 10 min", false],
    ["is late", 400, "10 min late", true],
    ["is due this moment", 1_000, "in 0 min", false],
    ["hears no more", null, "no further update is due", false],
  ])("%s", (_, due_s, words, isLate) => {
    expect(dueOf(audience(1, due_s), 1_000)).toEqual({ words, isLate });
  });
  it("that hears next comes first, one that hears no more never", () => {
    expect(nextAudience([audience(1, null), audience(2, 900), audience(3, 800)])?.id).toBe(3);
    expect(nextAudience([audience(1, null)])).toBeUndefined();
  });
});

describe("who is called by name in a text", () => {
  it.each<[string, string[]]>([
    ["@Signe Hallam look", ["@Signe Hallam"]],
    ["thanks @signe, and @Marit.", ["@signe", "@Marit"]],
    ["@Signesson is another", []],
    ["nobody (a+b) is called", []],
  ])("%s", (text, names) => {
    const parts = mentions(text, ["Signe Hallam", "Marit Osei"]);
    expect(parts.filter((part) => part.isName).map((part) => part.text)).toEqual(names);
    expect(parts.map((part) => part.text).join("")).toBe(text);
  });
  it("is nobody where nobody is", () => {
    expect(mentions("@Signe", [])).toEqual([{ text: "@Signe", isName: false }]);
  });
});

describe("files of a room", () => {
  const file = (id: number, name: string, version: number, folder = ""): Room["files"][number] => ({
    id,
    name,
    folder,
    version,
    size: 1,
    content_type: "text/plain",
    sha256: "",
    came_from: "",
    by: "Joss",
    at_s: id,
    channel: "responders",
    is_closed: false,
  });
  it("stand once, by their newest version", () => {
    const found = newestFiles([file(3, "log.txt", 2), file(2, "log.txt", 1, "Evidence"), file(1, "log.txt", 1)]);
    expect(found.map((one) => [one.file.id, one.older.map((each) => each.id)])).toEqual([
      [3, [1]],
      [2, []],
    ]);
  });
  it.each([
    [900, "900 B"],
    [14_336, "14 kB"],
    [3_500_000, "3.3 MB"],
  ])("%i bytes are %s", (bytes, words) => {
    expect(fileSize(bytes)).toBe(words);
  });
});
