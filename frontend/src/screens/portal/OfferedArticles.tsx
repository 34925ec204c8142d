import { useMutation } from "@tanstack/react-query";
import { Link } from "react-router";
import { toast } from "sonner";
import { api, type MyTicket, ok, sentence } from "../../api/client";
import { Button, ErrorNote } from "../../parts/ui";

/** The articles that the desk's first answer offered: to read, and to say that one was it. */
export function OfferedArticles({ thing, onDone }: { thing: MyTicket; onDone: (next: MyTicket) => void }) {
  const say = useMutation({
    mutationFn: (article: number) =>
      ok(api.POST("/api/portal/tickets/{number}/was-it", { params: { path: { number: thing.id } }, body: { article } })),
    onSuccess: (next) => {
      onDone(next);
      toast("Good. It is closed, and the desk knows what solved it.");
    },
  });
  if (thing.offered.length === 0) return null;
  return (
    <section aria-labelledby="offered" className="mt-3 rounded-card border border-line bg-sheet px-5 py-3.5">
      <h2 id="offered" className="font-bold">
        {thing.offered.length === 1 ? "Does this help at once?" : "Does one of these help at once?"}
      </h2>
      <p className="text-[14px] text-ink-2">The desk works on it all the same. If one was it, say so: then it is closed.</p>
      <ul className="mt-1.5">
        {thing.offered.map((one) => (
          <li key={one.id} className="flex flex-wrap items-center gap-x-4 gap-y-1 border-t border-line py-2">
            <Link to={`/articles/${one.id}?found=1`} className="min-h-[24px] min-w-0 flex-1 font-semibold underline">
              {one.title}
            </Link>
            <Button onClick={() => say.mutate(one.id)} disabled={say.isPending} aria-label={`That was it: ${one.title}`}>
              That was it
            </Button>
          </li>
        ))}
      </ul>
      {say.error ? <ErrorNote>{sentence(say.error)}</ErrorNote> : null}
    </section>
  );
}
