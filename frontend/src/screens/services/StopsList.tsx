import { Link } from "react-router";
import { Empty } from "../../parts/ui";
import { pageOf, pathSentence, percent, type Stopped } from "./words";

/** The map in words: everything that loses something, most first, each with the path to it. */
export function StopsList({ found }: { found: Stopped | undefined }) {
  if (!found) return <Empty title="Nothing stops yet">Choose above what stops: this lists what it reaches.</Empty>;
  if (found.affected.length === 0) return <Empty title="Nothing else loses anything">Nothing stands on it.</Empty>;
  return (
    <div className="overflow-x-auto rounded-card border border-line bg-sheet">
      <table className="w-full">
        <thead>
          <tr className="border-b border-line text-left text-[13px] text-ink-2">
            <th className="px-3 py-1.5 font-normal">what</th>
            <th className="px-2 py-1.5 text-right font-normal">loses</th>
            <th className="px-2 py-1.5 font-normal">because</th>
          </tr>
        </thead>
        <tbody>
          {found.affected.slice(0, 400).map((one) => (
            <tr key={one.id} className="border-b border-line align-baseline last:border-0">
              <td className="whitespace-nowrap px-3 py-1">
                <Link to={pageOf(one.id)} className={one.kind === "service" ? "font-bold hover:underline" : "hover:underline"}>
                  {one.name}
                </Link>{" "}
                <span className="text-[13px] text-ink-2">{one.kind}</span>
              </td>
              <td className="px-2 py-1 text-right font-mono">{percent(one.share)}</td>
              <td className="px-2 py-1 text-ink-2">{pathSentence(one.path)}</td>
            </tr>
          ))}
        </tbody>
      </table>
      {found.affected.length > 400 ? (
        <p className="px-3 py-1.5 text-ink-2">and {(found.affected.length - 400).toLocaleString("en-GB")} more, each losing no more</p>
      ) : null}
    </div>
  );
}
