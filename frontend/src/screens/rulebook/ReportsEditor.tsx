import { useBook, useEntry } from "./data";
import { EditState, PickMany, PickOne } from "./parts";

interface Reports {
  first_month?: number;
  people?: string[];
}

const MONTHS = ["January", "February", "March", "April", "May", "June", "July", "August", "September", "October", "November", "December"];
const ROLES = ["agent", "team lead", "manager", "administrator"];
const SEE_PEOPLE = ["team lead", "manager", "administrator"];

/** By which year reports count, and who sees figures of single people. */
export function ReportsEditor() {
  const { document } = useBook();
  const editing = useEntry<Reports>("reports", "", document.reports ?? {});
  const reports = editing.value;
  const set = (change: Partial<Reports>) => editing.set({ ...reports, ...change });
  return (
    <>
      <EditState editing={editing} />
      <p className="text-[16px] leading-8">
        The year of reports begins in{" "}
        <PickOne
          label="First month"
          options={MONTHS.map((name, index) => ({ key: String(index + 1), name }))}
          value={String(reports.first_month ?? 1)}
          onChange={(key) => set({ first_month: Number(key) })}
        />
        , and its quarters with it.
      </p>
      <p className="mt-2 text-[16px] leading-8">
        Figures of single people of the desk – who holds, who resolved – are seen by{" "}
        <PickMany
          label="Who sees figures of people"
          options={ROLES.map((key) => ({ key, name: `${key}s` }))}
          value={reports.people ?? SEE_PEOPLE}
          onChange={(people) => set({ people: ROLES.filter((role) => people.includes(role)) })}
          placeholder="nobody"
        />
        .
      </p>
    </>
  );
}
