import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { type RefObject, useEffect, useRef } from "react";
import { Link, useNavigate } from "react-router";
import { toast } from "sonner";
import { api, ok, Problem, sentence } from "../../api/client";
import { when } from "../../parts/time";
import { Button } from "../../parts/ui";

interface TickStepsProps {
  article: number;
  ticket: number;
  /** Where the article is drawn: its boxes become ones that are ticked. */
  text: RefObject<HTMLDivElement | null>;
  now: number;
  isPublished: boolean;
}

/** The steps of an article, ticked for one ticket as they are done: by mouse, or with Space. */
export function TickSteps({ article, ticket, text, now, isPublished }: TickStepsProps) {
  const navigate = useNavigate();
  const queries = useQueryClient();
  const key = ["article", article, "steps", ticket];
  const path = { params: { path: { number: ticket, article } } };
  const { data, error } = useQuery({
    queryKey: key,
    queryFn: () => ok(api.GET("/api/tickets/{number}/articles/{article}/steps", path)),
    retry: false,
  });
  const { mutate } = useMutation({
    mutationFn: (said: { version: number; ticked: number[] }) =>
      ok(api.PUT("/api/tickets/{number}/articles/{article}/steps", { ...path, body: said })),
    onMutate: (said) => queries.setQueryData(key, data ? { ...data, ticked: said.ticked } : data),
    onSuccess: (kept) => {
      queries.setQueryData(key, kept);
      void queries.invalidateQueries({ queryKey: ["help", ticket] });
    },
    onError: (problem) => {
      toast.error(sentence(problem));
      void queries.invalidateQueries({ queryKey: key });
      if (problem instanceof Problem && problem.status === 409) void queries.invalidateQueries({ queryKey: ["article", article] });
    },
  });
  const toggle = useRef((_place: number) => undefined as void);
  toggle.current = (place) => {
    if (!data) return;
    const ticked = data.ticked.includes(place) ? data.ticked.filter((one) => one !== place) : [...data.ticked, place];
    mutate({ version: data.version, ticked });
  };
  const ticked = data?.ticked.join() ?? "";
  const isThere = Boolean(data);

  useEffect(() => {
    const boxes = [...(text.current?.querySelectorAll<HTMLElement>(".tick") ?? [])];
    if (!isThere) return undefined;
    const done = new Set(ticked ? ticked.split(",").map(Number) : []);
    const undo = boxes.map((box, place) => {
      const step = box.closest("li") ?? box.parentElement;
      box.setAttribute("role", "checkbox");
      box.setAttribute("aria-checked", String(done.has(place)));
      box.setAttribute("aria-label", step?.innerText.trim() ?? `Step ${place + 1}`);
      box.tabIndex = 0;
      const click = () => toggle.current(place);
      const press = (event: KeyboardEvent) => {
        if (event.key !== " " && event.key !== "Enter") return;
        event.preventDefault();
        toggle.current(place);
      };
      box.addEventListener("click", click);
      box.addEventListener("keydown", press);
      return () => {
        box.removeEventListener("click", click);
        box.removeEventListener("keydown", press);
      };
    });
    return () => undo.forEach((one) => one());
  }, [text, ticked, isThere]);

  if (error) return <p className="text-rust">{sentence(error)}</p>;
  if (!data) return null;
  return (
    <div className="mb-3 flex flex-wrap items-center gap-2 rounded-small border border-line-2 bg-sheet px-3 py-1.5">
      <p role="status" className="flex-1">
        For{" "}
        <Link className="underline" to={`/desk/tickets/${ticket}`}>
          ticket {ticket}
        </Link>
        :{" "}
        {data.steps === 0 ? (
          "this article has no steps to tick."
        ) : (
          <>
            <b>
              {data.ticked.length} of {data.steps}
            </b>{" "}
            steps done
            {data.at_s !== null && data.ticked.length > 0 ? ` · ${data.person}, ${when(data.at_s, now)}` : ""}
          </>
        )}
      </p>
      {isPublished ? <Button onClick={() => void navigate(`/desk/tickets/${ticket}#resolve-with-${article}`)}>It solved it…</Button> : null}
    </div>
  );
}
