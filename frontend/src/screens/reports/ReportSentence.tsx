import { ConditionSentence } from "../../parts/condition/ConditionSentence";
import { PickOne } from "../../parts/picks";
import { useFields } from "../queue/SentenceFilter";
import {
  BAND,
  BLANK,
  cameAt,
  conditionsOf,
  type Definition,
  type Dimension,
  fitting,
  FLOW,
  isFlow,
  isSpanless,
  OPEN_AT_END,
  ofKind,
  type Words,
  wordsOf,
} from "./report";
import { SpanPick } from "./SpanPick";

interface SentenceProps {
  definition: Definition;
  words: Words;
  onChange: (definition: Definition) => void;
}

const NONE = "-";
const NOTHING = { key: NONE, name: "nothing" };
const TOPS = [0, 5, 10, 12, 20, 50];
const DRAWN: Record<string, string> = {
  table: "a table alone",
  bars: "bars",
  stacked: "stacked bars",
  lines: "lines",
  "bars and line": "bars and a line",
  shares: "shares",
  heat: "dots by size",
  figure: "one figure",
};

/** A report as a sentence whose words are the controls. */
export function ReportSentence({ definition, words, onChange }: SentenceProps) {
  const set = (some: Partial<Definition>) => onChange(fitting({ ...definition, ...some }, words));
  const ofTickets = useFields().filter((field) => field.type !== "words");
  const known = wordsOf(words, definition.kind);
  const conditions = conditionsOf(words, definition.kind, ofTickets);
  const rows = definition.rows;
  const dimensions = [
    ...known.dimensions.flatMap((one) =>
      one.is_time
        ? words.bys.map((by) => ({ key: `${by}|${one.name}`, name: `${by} ${one.label}` }))
        : [{ key: `|${one.name}`, name: one.label }],
    ),
    ...known.values
      .filter((one) => one.ways.some((way) => way.key === "sum"))
      .map((one) => ({ key: `${BAND}|${one.key}`, name: `bands of ${one.label}` })),
  ];
  const keyOf = (one: Dimension | null | undefined) => (one ? `${one.by ?? ""}|${one.field}` : "");
  const dimensionOf = (key: string): Dimension => {
    const at = key.indexOf("|");
    return { by: key.slice(0, at), field: key.slice(at + 1) };
  };
  const measures = known.values
    .filter((value) => value.key !== "came" && value.key !== "went")
    .flatMap((value) => value.ways.map((way) => ({ key: `${way.key}|${value.key}`, name: way.label })));
  const isAtEnd = definition.event === OPEN_AT_END;
  const setRow = (index: number, key: string) =>
    set({
      rows: key === NONE ? rows.filter((_, at) => at !== index) : [...rows.slice(0, index), dimensionOf(key), ...rows.slice(index + 1)],
    });
  const setMeasure = (index: number, key: string) => {
    const at = key.indexOf("|");
    const measure = { way: key.slice(0, at), of: key.slice(at + 1) };
    const left = definition.measures.filter((_, place) => place !== index);
    set({ measures: key === NONE ? left : [...definition.measures.slice(0, index), measure, ...definition.measures.slice(index + 1)] });
  };
  return (
    <p className="text-[19px] leading-[34px]">
      <PickOne
        label="Which records"
        options={[{ key: "", name: "All tickets" }, ...words.kinds.map((one) => ({ key: one.key, name: capital(one.name) }))]}
        value={definition.kind}
        onChange={(kind) => onChange(ofKind(definition, kind, words, ofTickets))}
      />{" "}
      <PickOne
        label="What happened"
        options={known.events.map((key) => ({ key, name: key }))}
        value={definition.event}
        onChange={(event) => set({ event })}
      />{" "}
      {isAtEnd ? (
        <>
          <PickOne
            label="Of each"
            options={words.bys.filter((by) => !["hour of day", "weekday", "hour"].includes(by)).map((by) => ({ key: by, name: by }))}
            value={rows[0]?.by ?? "week"}
            onChange={(by) => set({ rows: [{ field: cameAt(definition.kind, words), by }] })}
          />{" "}
          of{" "}
        </>
      ) : null}
      {isSpanless(definition) ? null : <SpanPick span={definition.span} spans={words.spans} onChange={(span) => set({ span })} />}
      {isAtEnd ? null : (
        <>
          {" "}
          by{" "}
          <PickOne
            label="Rows"
            options={[NOTHING, ...dimensions]}
            value={keyOf(rows[0])}
            onChange={(key) => setRow(0, key)}
            placeholder="nothing"
          />
          {rows.length > 0 ? (
            <>
              {" "}
              <span>
                {rows[1] ? "and in each by " : ""}
                <PickOne
                  isAddition={!rows[1]}
                  label="Rows within rows"
                  options={[NOTHING, ...dimensions]}
                  value={keyOf(rows[1])}
                  onChange={(key) => setRow(1, key)}
                  placeholder="+ within each…"
                />
              </span>
            </>
          ) : null}
        </>
      )}{" "}
      {definition.columns ? "and " : ""}
      <span>
        <PickOne
          isAddition={!definition.columns}
          label="Columns"
          options={[NOTHING, ...dimensions.filter((one) => !isAtEnd || one.key.startsWith("|"))]}
          value={keyOf(definition.columns)}
          onChange={(key) => set({ columns: key === NONE ? null : dimensionOf(key) })}
          placeholder="+ columns…"
        />
      </span>
      {isAtEnd ? (
        <>
          , showing{" "}
          <PickOne
            label="Figures"
            options={[
              { key: "open", name: "what was open" },
              { key: "flow", name: "what came, what went and what was open" },
            ]}
            value={isFlow(definition) ? "flow" : "open"}
            onChange={(key) => set({ measures: key === "flow" ? FLOW : BLANK.measures })}
          />
        </>
      ) : (
        <>
          , showing{" "}
          {definition.measures.map((one, index) => (
            <span key={`${one.way} ${one.of}`}>
              {index > 0 ? (index === definition.measures.length - 1 ? " and " : ", ") : ""}
              <PickOne
                label={`Figure ${index + 1}`}
                options={definition.measures.length > 1 ? [{ key: NONE, name: "remove it" }, ...measures] : measures}
                value={`${one.way}|${one.of}`}
                onChange={(key) => setMeasure(index, key)}
              />
            </span>
          ))}
          {definition.measures.length < 4 ? (
            <span className="ml-1.5">
              <PickOne
                isAddition
                label="Another figure"
                options={measures.filter((one) => !definition.measures.some((shown) => `${shown.way}|${shown.of}` === one.key))}
                value=""
                onChange={(key) => setMeasure(definition.measures.length, key)}
                placeholder="+ figure…"
              />
            </span>
          ) : null}
        </>
      )}
      ,{" "}
      <ConditionSentence
        fields={conditions}
        tree={definition.where ?? { all: [] }}
        always=""
        first="+ where…"
        onChange={(tree) => set({ where: tree })}
      />
      {isSpanless(definition) ? null : (
        <>
          {definition.against ? " against " : " "}
          <span>
            <PickOne
              isAddition={!definition.against}
              label="Against"
              options={[NOTHING, ...words.against.map((key) => ({ key, name: key }))]}
              value={definition.against ?? ""}
              onChange={(against) => set({ against: against === NONE ? "" : against })}
              placeholder="+ against…"
            />
          </span>
        </>
      )}
      , drawn as{" "}
      <PickOne
        label="Drawn as"
        options={words.drawn.map((key) => ({ key, name: DRAWN[key] ?? key }))}
        value={definition.draw ?? "table"}
        onChange={(draw) => set({ draw })}
      />
      {rows.length > 0 && !rows[0]?.by ? (
        <>
          ,{" "}
          <PickOne
            label="How many rows"
            options={TOPS.map((top) => ({ key: String(top), name: top === 0 ? "all rows" : `the first ${top} and the rest` }))}
            value={String(definition.top ?? 0)}
            onChange={(top) => set({ top: Number(top) })}
          />
        </>
      ) : null}
      .
    </p>
  );
}

function capital(text: string): string {
  return text.slice(0, 1).toUpperCase() + text.slice(1);
}
