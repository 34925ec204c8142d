import { ChevronRight } from "lucide-react";
import { useEffect, useMemo, useRef } from "react";
import { laid, type Line, type MapData, type MapNode, neighbour, NODE_HEIGHT, NODE_WIDTH } from "./layout";
import { percent, vital } from "./words";

interface MapDrawingProps {
  data: MapData;
  struck: string[];
  reach: ReadonlyMap<string, number>;
  /** The nodes of the path that is being explained, from the affected one down. */
  path: string[];
  onStrike: (node: string, isAdded: boolean) => void;
  onUnfold: (fold: string) => void;
  onExplain: (node: string | null) => void;
}

const LABELS = 76;

/** The map: layers from what people use down to what all stands on; weight says how much is lost. */
export function MapDrawing({ data, struck, reach, path, onStrike, onUnfold, onExplain }: MapDrawingProps) {
  const drawing = useMemo(() => laid(data), [data]);
  const frame = useRef<HTMLDivElement>(null);
  const last = struck.at(-1);
  useEffect(() => {
    if (!last) return;
    frame.current?.querySelector(`[data-node="${last}"]`)?.scrollIntoView({ block: "nearest", inline: "nearest" });
  }, [last, drawing]);
  const isAsked = struck.length > 0;
  const shareOf = (node: MapNode) => reach.get(node.id) ?? 0;
  const onKey = (event: React.KeyboardEvent) => {
    const from = (event.target as HTMLElement).dataset.node;
    const to = from ? neighbour(drawing.nodes, from, event.key) : undefined;
    if (!to) return;
    event.preventDefault();
    frame.current?.querySelector<HTMLElement>(`[data-node="${to}"]`)?.focus();
  };
  return (
    <div ref={frame} className="overflow-auto rounded-card border border-line bg-paper" onKeyDown={onKey}>
      <div className="relative" style={{ width: drawing.width + LABELS, height: drawing.height }}>
        {drawing.bands.map(({ layer, top }) => (
          <span key={layer} className="absolute left-2 w-[72px] text-[13px] leading-tight text-ink-2" style={{ top: top + 10 }}>
            {layer}
          </span>
        ))}
        <svg
          className="absolute top-0"
          style={{ left: LABELS }}
          width={drawing.width}
          height={drawing.height}
          role="img"
          aria-label="What stands on what; the list beside the map says the same in words"
        >
          {drawing.lines.map((line) => (
            <Stroke key={`${line.edge.from}>${line.edge.to}`} line={line} reach={reach} struck={struck} path={path} isAsked={isAsked} />
          ))}
        </svg>
        {drawing.nodes.map(({ node, x, y }) => {
          const isStruck = struck.includes(node.id);
          const share = shareOf(node);
          const isHurt = share > 0 || isStruck;
          return (
            <button
              key={node.id}
              type="button"
              data-node={node.id}
              aria-pressed={isStruck}
              className={`absolute overflow-hidden rounded-[6px] border px-1.5 text-left text-[13px] leading-[15px] ${
                isStruck
                  ? "border-ink bg-ink font-bold text-sheet"
                  : isHurt
                    ? "border-sea bg-sheet font-semibold"
                    : isAsked
                      ? "border-line bg-paper text-ink-2"
                      : "border-line-2 bg-sheet"
              } ${node.criticality === 1 && !isStruck ? "border-2" : ""} ${node.life === "planned" ? "border-dashed" : ""} hover:border-sea`}
              style={{ left: LABELS + x - NODE_WIDTH / 2, top: y - NODE_HEIGHT / 2, width: NODE_WIDTH, height: NODE_HEIGHT }}
              onClick={(event) =>
                node.is_fold ? onUnfold(node.fold) : onStrike(node.id, event.shiftKey || event.ctrlKey || event.metaKey)
              }
              onMouseEnter={() => (isHurt && !isStruck ? onExplain(node.id) : undefined)}
              onFocus={() => onExplain(isHurt && !isStruck ? node.id : null)}
            >
              <span className="flex items-start gap-1">
                {node.is_fold ? <ChevronRight size={13} aria-hidden="true" className="mt-px shrink-0" /> : null}
                <span className={isHurt ? "truncate" : "line-clamp-2"}>{node.name}</span>
                {node.incidents > 0 ? (
                  <span
                    title={`${node.incidents} open incidents`}
                    className="ml-auto shrink-0 rounded-full border border-rust px-1 text-[11px] leading-[14px] text-rust"
                  >
                    {node.incidents}
                  </span>
                ) : null}
                {node.changes > 0 ? (
                  <span
                    title={`${node.changes} ${node.changes === 1 ? "change" : "changes"} to come or under way`}
                    className={`shrink-0 text-[11px] leading-[16px] ${node.incidents > 0 ? "" : "ml-auto"}`}
                  >
                    ◇{node.changes}
                  </span>
                ) : null}
                {node.drifts > 0 ? (
                  <span
                    title="otherwise than recorded"
                    className={`shrink-0 text-crown ${node.incidents > 0 || node.changes > 0 ? "" : "ml-auto"}`}
                  >
                    ≠
                  </span>
                ) : null}
              </span>
              {isStruck ? (
                <span className="block text-[12px] font-normal">stops</span>
              ) : share > 0 ? (
                <span className="mt-0.5 flex items-center gap-1.5">
                  <span className="h-[5px] flex-1 rounded bg-line" aria-hidden="true">
                    <span className="block h-full rounded bg-sea" style={{ width: `${share * 100}%` }} />
                  </span>
                  <span>{percent(share)}</span>
                </span>
              ) : null}
              <span className="sr-only">{nodeAside(node, share)}</span>
            </button>
          );
        })}
      </div>
    </div>
  );
}

/** What the drawing says by shape and place, for those who hear it. */
function nodeAside(node: MapNode, share: number): string {
  return [
    node.is_fold ? "folded: opens" : node.kind,
    node.criticality <= 2 ? vital(node.criticality) : "",
    share > 0 ? "lost" : "",
    node.incidents > 0 ? "open incidents" : "",
    node.changes > 0 ? "changes to come" : "",
    node.drifts > 0 ? "otherwise than recorded" : "",
  ]
    .filter(Boolean)
    .map((words) => `, ${words}`)
    .join("");
}

interface StrokeProps {
  line: Line;
  reach: ReadonlyMap<string, number>;
  struck: string[];
  path: string[];
  isAsked: boolean;
}

/** A dependency: as heavy as what is lost through it, dashed for one of a redundant group. */
function Stroke({ line, reach, struck, path, isAsked }: StrokeProps) {
  const { from, to, strength } = line.edge;
  const isHit = struck.includes(to) || (reach.get(to) ?? 0) > 0;
  const carried = isHit && !struck.includes(from) ? Math.min(reach.get(from) ?? 0, reach.get(to) ?? (struck.includes(to) ? 1 : 0)) : 0;
  const at = path.indexOf(from);
  const isPath = at >= 0 && path[at + 1] === to;
  const d = curve(line.points);
  return (
    <>
      {isPath ? <path d={d} fill="none" className="stroke-crown" strokeWidth={8} /> : null}
      <path
        d={d}
        fill="none"
        className={carried > 0 ? "stroke-sea" : isAsked ? "stroke-line" : "stroke-line-2"}
        strokeWidth={carried > 0 ? 1 + carried * 4 : 1}
        strokeDasharray={strength === "redundant" ? "5 4" : undefined}
      />
    </>
  );
}

function curve(points: { x: number; y: number }[]): string {
  const [first, ...rest] = points;
  if (!first) return "";
  let d = `M${first.x} ${first.y}`;
  let before = first;
  for (const point of rest) {
    const middle = (before.y + point.y) / 2;
    d += ` C${before.x} ${middle} ${point.x} ${middle} ${point.x} ${point.y}`;
    before = point;
  }
  return d;
}
