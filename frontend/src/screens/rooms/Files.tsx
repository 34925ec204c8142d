import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, ok, sentence } from "../../api/client";
import { MenuItem } from "../../parts/Menu";
import { clockTime, exact, when } from "../../parts/time";
import { Button, Dialog, ErrorNote, Field, inputClass, Loading } from "../../parts/ui";
import { LineMenu } from "./LineMenu";
import { useRoomAct } from "./room";
import { Part } from "./RoomPart";
import { fileLink, fileSize, isPicture, newestFiles, type Room } from "./roomWords";

type RoomFile = Room["files"][number];

/** The files of the room by folder: their newest versions, with the older ones and checksums. */
export function Files({ room, now }: { room: Room; now: number }) {
  const [looking, setLooking] = useState<RoomFile | null>(null);
  const { act } = useRoomAct(room.id);
  const found = newestFiles(room.files);
  const folders = [...new Set(found.map((one) => one.file.folder))].sort();
  const [isBringing, setBringing] = useState(false);
  const lift = (file: RoomFile, label: string) =>
    void act(
      () =>
        ok(
          api.POST("/api/rooms/{number}/timeline", {
            params: { path: { number: room.id } },
            body: { text: "", file: file.id, label: label as "seen", is_for_all: false },
          }),
        ),
      "It is in the timeline, at its own time.",
    );
  return (
    <Part
      title="Files"
      note={found.length > 0 ? `${found.length}, found with the words of the room` : "none yet"}
      action={
        room.may.work && room.gathered > 0 ? (
          <button type="button" className="min-h-[24px] underline" onClick={() => setBringing(true)}>
            bring from incidents
          </button>
        ) : null
      }
    >
      {folders.map((folder) => (
        <div key={folder}>
          {folder ? <h3 className="text-[13px] font-semibold text-ink-2">{folder}</h3> : null}
          <ul>
            {found
              .filter((one) => one.file.folder === folder)
              .map(({ file, older }) => (
                <li key={file.id} className="flex flex-wrap items-baseline gap-x-2 border-b border-line py-1 last:border-b-0">
                  <a className="min-w-0 flex-1 break-all hover:underline" href={fileLink(room.id, file.id)}>
                    {file.name} <span className="text-[13px] text-ink-2">{fileSize(file.size)}</span>
                  </a>
                  <LineMenu label={`File ${file.name}`}>
                    {isPicture(file.name) || file.content_type.startsWith("text/") ? (
                      <MenuItem onSelect={() => setTimeout(() => setLooking(file), 0)}>Look at it</MenuItem>
                    ) : null}
                    {room.may.work ? <MenuItem onSelect={() => lift(file, "")}>Into the timeline</MenuItem> : null}
                    {room.may.work
                      ? room.labels.map((label) => (
                          <MenuItem key={label} onSelect={() => lift(file, label)}>
                            Into the timeline as {label}
                          </MenuItem>
                        ))
                      : null}
                  </LineMenu>
                  <span className="w-full text-[13px] text-ink-2">
                    {file.is_closed ? "only " : ""}
                    {file.channel}, {file.by.split(" ")[0]}, {when(file.at_s, now)}
                    {file.came_from ? `, from ${file.came_from}` : ""}
                    {older.length > 0 ? `, version ${file.version}; before: ` : ""}
                    {older.map((one) => (
                      <a key={one.id} className="mr-1 underline" href={fileLink(room.id, one.id)} title={exact(one.at_s)}>
                        {clockTime(one.at_s)}
                      </a>
                    ))}{" "}
                    <span className="font-mono text-[11px]" title={`SHA-256 ${file.sha256}`}>
                      {file.sha256.slice(0, 12)}
                    </span>
                  </span>
                </li>
              ))}
          </ul>
        </div>
      ))}
      {isBringing ? <Bring room={room} onClose={() => setBringing(false)} /> : null}
      {looking ? <Look number={room.id} file={looking} onClose={() => setLooking(null)} /> : null}
    </Part>
  );
}

/** Files of its incidents, brought into a channel with where they came from. */
function Bring({ room, onClose }: { room: Room; onClose: () => void }) {
  const [channel, setChannel] = useState(room.channels[0]?.id ?? 0);
  const { act, isBusy } = useRoomAct(room.id);
  const path = { number: room.id, channel };
  const { data } = useQuery({
    queryKey: ["room-bring", room.id, channel],
    queryFn: () => ok(api.GET("/api/rooms/{number}/channels/{channel}/bring", { params: { path } })),
  });
  return (
    <Dialog title="Bring a file of an incident" about="Everybody in the channel may then open it." isOpen onClose={onClose}>
      <Field label="Into which channel">
        {(props) => (
          <select {...props} className={inputClass} value={channel} onChange={(event) => setChannel(+event.target.value)}>
            {room.channels.map((one) => (
              <option key={one.id} value={one.id}>
                {one.name}
              </option>
            ))}
          </select>
        )}
      </Field>
      <ul className="mt-2 max-h-[44vh] overflow-y-auto">
        {(data ?? []).map((one) => (
          <li key={one.id} className="flex items-baseline gap-2 border-b border-line py-1">
            <span className="min-w-0 flex-1 break-all">
              {one.name}{" "}
              <span className="text-[13px] text-ink-2">
                {fileSize(one.size)}, incident {one.incident}
              </span>
            </span>
            <Button
              disabled={isBusy}
              aria-label={`Bring ${one.name}`}
              onClick={() =>
                void act(
                  () => ok(api.POST("/api/rooms/{number}/channels/{channel}/bring", { params: { path }, body: { file: one.id } })),
                  `${one.name} is in the room.`,
                )
              }
            >
              Bring
            </Button>
          </li>
        ))}
      </ul>
      {data?.length === 0 ? <p className="mt-2 text-ink-2">Its incidents have no files.</p> : null}
    </Dialog>
  );
}

const MOST_SHOWN = 20_000;

/** A picture, or the beginning of a text, as it is. */
function Look({ number, file, onClose }: { number: number; file: RoomFile; onClose: () => void }) {
  const isText = !isPicture(file.name);
  const { data, error } = useQuery({
    queryKey: ["room-file", file.id],
    queryFn: async () => (await (await fetch(fileLink(number, file.id))).text()).slice(0, MOST_SHOWN),
    enabled: isText,
  });
  return (
    <Dialog
      title={file.name}
      about={`Version ${file.version}, ${fileSize(file.size)}, SHA-256 ${file.sha256}`}
      isOpen
      isWide
      onClose={onClose}
    >
      {error ? <ErrorNote>{sentence(error)}</ErrorNote> : null}
      {isText ? (
        data === undefined ? (
          <Loading what="the file" />
        ) : (
          <pre tabIndex={0} className="max-h-[60vh] overflow-auto whitespace-pre-wrap break-words text-[13px]">
            {data}
            {data.length === MOST_SHOWN ? "…" : ""}
          </pre>
        )
      ) : (
        <img src={fileLink(number, file.id)} alt={file.name} className="max-h-[64vh] max-w-full" />
      )}
    </Dialog>
  );
}
