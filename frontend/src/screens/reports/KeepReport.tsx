import { useQueryClient } from "@tanstack/react-query";
import { DropdownMenu } from "radix-ui";
import { useState } from "react";
import { toast } from "sonner";
import { api, ok, sentence } from "../../api/client";
import type { components } from "../../api/schema";
import { Button, Dialog, ErrorNote, Field, inputClass } from "../../parts/ui";
import type { Definition } from "./report";

type Kept = components["schemas"]["KeptReportShape"];

interface KeepProps {
  definition: Definition;
  kept: Kept | null;
  name: string;
  isChanged: boolean;
  onKept: (number: number) => void;
  onRemoved: () => void;
}

/** Keeping a report under a name, sharing it, and its files. */
export function KeepReport({ definition, kept, name, isChanged, onKept, onRemoved }: KeepProps) {
  const queries = useQueryClient();
  const [isNaming, setNaming] = useState(false);
  const [isBusy, setBusy] = useState(false);
  const isMine = kept?.is_mine ?? false;
  const readAgain = () => queries.invalidateQueries({ queryKey: ["reports", "list"] });
  const attempt = async (does: () => Promise<void>) => {
    if (isBusy) return;
    setBusy(true);
    try {
      await does();
    } catch (error) {
      toast.error(sentence(error));
    } finally {
      setBusy(false);
    }
  };
  const save = () =>
    attempt(async () => {
      if (!kept) return;
      const body = {
        name: kept.name,
        about: kept.about,
        is_shared: kept.is_shared,
        version: kept.version,
        definition: definition as never,
      };
      await ok(api.PUT("/api/reports/{number}", { params: { path: { number: kept.id } }, body }));
      await readAgain();
      toast("The report is saved.");
      onKept(kept.id);
    });
  const remove = () =>
    attempt(async () => {
      if (!kept) return;
      await ok(api.DELETE("/api/reports/{number}", { params: { path: { number: kept.id } } }));
      await readAgain();
      onRemoved();
      toast(`“${kept.name}” is removed.`, {
        action: {
          label: "Undo",
          onClick: () =>
            void attempt(async () => {
              const body = { name: kept.name, about: kept.about, is_shared: kept.is_shared, definition: kept.definition as never };
              const again = await ok(api.POST("/api/reports", { body }));
              await readAgain();
              onKept(again.id);
            }),
        },
      });
    });
  const file = (as: string) =>
    `/api/reports/file?${new URLSearchParams({ report: JSON.stringify(definition), as, name: name || "Report" }).toString()}`;
  const item = "block w-full cursor-pointer rounded px-3 py-1.5 text-left outline-none data-[highlighted]:bg-sea-3";
  return (
    <span className="flex flex-wrap gap-2">
      {isMine && isChanged ? (
        <Button tone="sea" disabled={isBusy} onClick={() => void save()}>
          Save
        </Button>
      ) : null}
      <Button disabled={isBusy} onClick={() => setNaming(true)}>
        {isMine ? "Name and sharing…" : "Save as…"}
      </Button>
      <DropdownMenu.Root>
        <DropdownMenu.Trigger asChild>
          <Button>Export ▾</Button>
        </DropdownMenu.Trigger>
        <DropdownMenu.Portal>
          <DropdownMenu.Content align="end" sideOffset={5} className="z-40 min-w-[170px] rounded-card border border-line-2 bg-sheet p-1">
            <DropdownMenu.Item asChild className={item}>
              <a href={file("csv")}>CSV file</a>
            </DropdownMenu.Item>
            <DropdownMenu.Item asChild className={item}>
              <a href={file("xlsx")}>XLSX workbook</a>
            </DropdownMenu.Item>
            <DropdownMenu.Item asChild className={item}>
              <a href={file("pdf")}>PDF</a>
            </DropdownMenu.Item>
            {isMine ? (
              <>
                <DropdownMenu.Separator className="my-1 h-px bg-line" />
                <DropdownMenu.Item className={item} onSelect={() => void remove()}>
                  Remove this report
                </DropdownMenu.Item>
              </>
            ) : null}
          </DropdownMenu.Content>
        </DropdownMenu.Portal>
      </DropdownMenu.Root>
      {isNaming ? (
        <NameDialog
          definition={definition}
          kept={isMine ? kept : null}
          name={name}
          onClose={() => setNaming(false)}
          onKept={async (number) => {
            await readAgain();
            setNaming(false);
            onKept(number);
          }}
        />
      ) : null}
    </span>
  );
}

interface NameProps {
  definition: Definition;
  kept: Kept | null;
  name: string;
  onClose: () => void;
  onKept: (number: number) => Promise<void>;
}

function NameDialog({ definition, kept, name, onClose, onKept }: NameProps) {
  const [body, setBody] = useState({
    name: kept?.name ?? (name ? `${name}, mine` : ""),
    about: kept?.about ?? "",
    is_shared: kept?.is_shared ?? false,
  });
  const [problem, setProblem] = useState("");
  const [isBusy, setBusy] = useState(false);
  const send = async () => {
    setBusy(true);
    setProblem("");
    try {
      const whole = { ...body, definition: definition as never };
      const done = kept
        ? await ok(api.PUT("/api/reports/{number}", { params: { path: { number: kept.id } }, body: { ...whole, version: kept.version } }))
        : await ok(api.POST("/api/reports", { body: whole }));
      toast(`“${done.name}” is saved.`);
      await onKept(done.id);
    } catch (error) {
      setProblem(sentence(error));
      setBusy(false);
    }
  };
  return (
    <Dialog
      title={kept ? "Name and sharing" : "Save this report"}
      about="It stands among the reports under its name."
      isOpen
      onClose={onClose}
    >
      <form
        onSubmit={(event) => {
          event.preventDefault();
          if (!isBusy) void send();
        }}
      >
        <Field label="Name">
          {(props) => (
            <input
              {...props}
              autoFocus
              maxLength={80}
              className={inputClass}
              value={body.name}
              onChange={(event) => setBody({ ...body, name: event.target.value })}
            />
          )}
        </Field>
        <Field label="What it says">
          {(props) => (
            <textarea
              {...props}
              rows={2}
              maxLength={500}
              className={inputClass}
              value={body.about}
              onChange={(event) => setBody({ ...body, about: event.target.value })}
            />
          )}
        </Field>
        <label className="mt-2 flex min-h-[24px] items-center gap-2">
          <input type="checkbox" checked={body.is_shared} onChange={(event) => setBody({ ...body, is_shared: event.target.checked })} />
          Shared with everybody who reads reports; each sees figures of what they may see
        </label>
        {problem ? <ErrorNote>{problem}</ErrorNote> : null}
        <p className="mt-3 flex gap-2">
          <Button tone="sea" type="submit" disabled={isBusy || body.name.trim() === ""}>
            Save
          </Button>
          <Button onClick={onClose}>Cancel</Button>
        </p>
      </form>
    </Dialog>
  );
}
