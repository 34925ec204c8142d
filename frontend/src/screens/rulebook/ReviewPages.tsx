import { Link } from "react-router";
import { Empty, Loading } from "../../parts/ui";
import { roomLink } from "./rooms";
import { type Difference, type Finding, useBook, useReview } from "./data";

/** What cannot work in the draft: where, why, and what to do. */
export function ChecksPage() {
  const { which } = useBook();
  const { data } = useReview(which === "draft");
  if (which !== "draft") return <Empty title="There is no draft to check">What is in force passed its checks when it was published.</Empty>;
  if (!data) return <Loading what="the checks" />;
  if (data.findings.length === 0) return <Empty title="Nothing to fix">Every check passes on this draft.</Empty>;
  return (
    <ul>
      {data.findings.map((one, index) => (
        <FindingLine key={index} one={one} />
      ))}
    </ul>
  );
}

function FindingLine({ one }: { one: Finding }) {
  return (
    <li className="border-b border-line py-2">
      <p>
        <span className={one.severity === "error" ? "font-bold text-rust" : "font-bold"}>
          {one.severity === "error" ? "To fix: " : "To consider: "}
        </span>
        <Link className="font-bold hover:underline" to={roomLink(one.section, one.key)}>
          {one.name}
        </Link>{" "}
        {one.says}
      </p>
      <p className="text-ink-2">
        {one.why} {one.do}
      </p>
    </li>
  );
}

const HOW: Record<string, string> = { added: "+", removed: "−", changed: "·", moved: "↕" };

export function DifferenceList({ differences }: { differences: Difference[] }) {
  if (differences.length === 0) return <p className="text-ink-2">No differences.</p>;
  return (
    <ul>
      {differences.map((one) => (
        <li key={`${one.section}/${one.key}/${one.how}`} className="border-b border-line py-1.5">
          <span className="flex gap-2">
            <span className="w-3 shrink-0 font-mono" aria-label={one.how}>
              {HOW[one.how]}
            </span>
            <span className="min-w-0">
              {one.sentences.map((words, index) => (
                <span key={index} className="block">
                  {index === 0 ? (
                    <Link className="hover:underline" to={roomLink(one.section, one.how === "removed" ? "" : one.key)}>
                      {words}
                    </Link>
                  ) : (
                    words
                  )}
                </span>
              ))}
            </span>
          </span>
        </li>
      ))}
    </ul>
  );
}

/** The draft beside the edition it began from, in sentences. */
export function DifferencesPage() {
  const { which } = useBook();
  const { data } = useReview(which === "draft");
  if (which !== "draft") return <Empty title="There is no draft">Differences between editions are under Editions.</Empty>;
  if (!data) return <Loading what="the differences" />;
  return (
    <>
      <h2 className="mb-2 text-[17px] font-bold">What the draft changes in edition {data.base}</h2>
      <DifferenceList differences={data.differences} />
    </>
  );
}
