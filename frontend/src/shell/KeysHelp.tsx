import { Dialog } from "../parts/ui";

const KEYS: [string, string][] = [
  ["/", "words to search the queue for; in a text: a phrase"],
  ["#", "in a text: a ticket or an article"],
  ["Ctrl K", "find or do"],
  ["L", "log for somebody"],
  ["↑ ↓", "move in a list"],
  ["Enter", "open the ticket"],
  ["Space", "open or close the side reader"],
  ["X", "choose the row; Shift and ↓ chooses on"],
  ["M", "what can be done with the row"],
  ["A", "take it"],
  ["R", "reply"],
  ["N", "note to the desk"],
  ["W", "wait"],
  ["H", "hand over"],
  ["E", "escalate"],
  ["B", "bring it back to me: a reminder"],
  ["P", "set the priority"],
  ["Z", "resolve"],
  ["U", "undo my last act, for ten seconds"],
  ["G then Q, L, K", "go to the Queue, the Lookout, Knowledge"],
  ["Ctrl Enter", "send what is written"],
  ["?", "this list"],
];

export function KeysHelp({ isOpen, onClose }: { isOpen: boolean; onClose: () => void }) {
  return (
    <Dialog title="Keyboard shortcuts" about="None of them acts while you type." isOpen={isOpen} onClose={onClose}>
      <dl className="grid grid-cols-[110px_1fr] gap-y-1.5">
        {KEYS.map(([key, does]) => (
          <div key={key} className="contents">
            <dt className="font-mono">{key}</dt>
            <dd>{does}</dd>
          </div>
        ))}
      </dl>
    </Dialog>
  );
}
