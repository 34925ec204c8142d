import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, ok, sentence } from "../../api/client";
import { MenuItem } from "../../parts/Menu";
import { clockTime, exact, when } from "../../parts/time";
import { Dialog, ErrorNote, Loading } from "../../parts/ui";
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
    <Part title="Files" note={found.length > 0 ? `${found.length}, found with the words of the room` : "none yet"}>
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
      {looking ? <Look number={room.id} file={looking} onClose={() => setLooking(null)} /> : null}
    </Part>
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
