import { QueryObserver } from "@tanstack/react-query";
import { describe, expect, it, vi } from "vitest";
import { Queries } from "../src/api/queries";

describe("what is read again", () => {
  it("is asked once more when the news came before the first answer", async () => {
    const queries = new Queries({ defaultOptions: { queries: { staleTime: Infinity, retry: false } } });
    const answers: ((value: string) => void)[] = [];
    const ask = vi.fn(() => new Promise<string>((resolve) => answers.push(resolve)));
    const shown: (string | undefined)[] = [];
    const observer = new QueryObserver(queries, { queryKey: ["ticket", 7], queryFn: ask });
    const stop = observer.subscribe((result) => shown.push(result.data));
    expect(ask).toHaveBeenCalledTimes(1);
    void queries.invalidateQueries({ queryKey: ["ticket", 7] });
    answers[0]?.("as it was before the approval");
    await vi.waitFor(() => expect(ask).toHaveBeenCalledTimes(2));
    answers[1]?.("approved");
    await vi.waitFor(() => expect(shown.at(-1)).toBe("approved"));
    stop();
  });

  it("that has been read is asked anew, and an older answer on its way is dropped", async () => {
    const queries = new Queries({ defaultOptions: { queries: { retry: false } } });
    const answers: ((value: string) => void)[] = [];
    const ask = vi.fn(() => new Promise<string>((resolve) => answers.push(resolve)));
    queries.setQueryData(["ticket", 7], "old");
    const observer = new QueryObserver(queries, { queryKey: ["ticket", 7], queryFn: ask });
    const stop = observer.subscribe(() => undefined);
    void queries.invalidateQueries({ queryKey: ["ticket", 7] });
    void queries.invalidateQueries({ queryKey: ["ticket", 7] });
    await vi.waitFor(() => expect(ask.mock.calls.length).toBeGreaterThan(1));
    answers.at(-1)?.("new");
    answers[0]?.("older");
    await vi.waitFor(() => expect(queries.getQueryData(["ticket", 7])).toBe("new"));
    await new Promise((resolve) => setTimeout(resolve, 20));
    expect(queries.getQueryData(["ticket", 7])).toBe("new");
    stop();
  });
});
