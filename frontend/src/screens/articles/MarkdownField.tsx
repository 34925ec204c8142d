import { defaultKeymap, history, historyKeymap } from "@codemirror/commands";
import { markdown, markdownKeymap } from "@codemirror/lang-markdown";
import { HighlightStyle, syntaxHighlighting } from "@codemirror/language";
import { EditorState } from "@codemirror/state";
import { EditorView, keymap, placeholder } from "@codemirror/view";
import { tags } from "@lezer/highlight";
import { getNonce } from "get-nonce";
import { type Ref, useEffect, useImperativeHandle, useRef } from "react";
import { around, type Chosen, type Edit } from "./markdownEdits";

export interface MarkdownHandle {
  /** Change the text as an edit of what is chosen says, and go on typing there. */
  edit: (does: (chosen: Chosen) => Edit) => void;
}

interface MarkdownFieldProps {
  ref: Ref<MarkdownHandle>;
  id: string;
  label: string;
  value: string;
  isWrong: boolean;
  describedBy?: string | undefined;
  onChange: (text: string) => void;
  /** Pictures that were pasted or dropped into the text. */
  onFiles: (files: File[]) => void;
}

const LOOK = EditorView.theme({
  "&": { fontSize: "14px", color: "var(--color-ink)", backgroundColor: "var(--color-sheet)", borderRadius: "7px" },
  "&.cm-focused": { outline: "2px solid var(--color-sea)", outlineOffset: "2px" },
  ".cm-scroller": { fontFamily: "var(--font-mono)", lineHeight: "1.5", minHeight: "320px", maxHeight: "64vh", overflow: "auto" },
  ".cm-content": { padding: "8px 10px", caretColor: "var(--color-ink)" },
  ".cm-cursor": { borderLeftColor: "var(--color-ink)" },
  ".cm-placeholder": { color: "var(--color-ink-3)" },
});

const MARKS = HighlightStyle.define([
  { tag: tags.heading, fontWeight: "700" },
  { tag: tags.strong, fontWeight: "700" },
  { tag: tags.emphasis, fontStyle: "italic" },
  { tag: [tags.link, tags.url], color: "var(--color-sea)" },
  { tag: [tags.processingInstruction, tags.contentSeparator], color: "var(--color-ink-3)" },
]);

const pictures = (given: DataTransfer | null) => [...(given?.files ?? [])].filter((file) => file.type.startsWith("image/"));

/** A text in Markdown, with its marks shown quietly; pictures are taken by pasting and dropping. */
export function MarkdownField({ ref, id, label, value, isWrong, describedBy, onChange, onFiles }: MarkdownFieldProps) {
  const host = useRef<HTMLDivElement>(null);
  const view = useRef<EditorView | null>(null);
  const latest = useRef({ onChange, onFiles, value });
  latest.current = { onChange, onFiles, value };
  const edit = (does: (chosen: Chosen) => Edit) => {
    const here = view.current;
    if (!here) return;
    const { from, to } = here.state.selection.main;
    const wanted = does({ text: here.state.doc.toString(), from, to });
    here.dispatch({
      changes: { from: wanted.from, to: wanted.to, insert: wanted.insert },
      selection: { anchor: wanted.select.from, head: wanted.select.to },
      scrollIntoView: true,
    });
    here.focus();
  };
  useImperativeHandle(ref, () => ({ edit }));

  useEffect(() => {
    const taken = (given: DataTransfer | null, event: Event) => {
      const files = pictures(given);
      if (files.length === 0) return false;
      event.preventDefault();
      latest.current.onFiles(files);
      return true;
    };
    const made = new EditorView({
      parent: host.current ?? undefined,
      state: EditorState.create({
        doc: latest.current.value,
        extensions: [
          EditorView.cspNonce.of(getNonce() ?? ""),
          history(),
          keymap.of([
            {
              key: "Mod-b",
              run: () => {
                edit((chosen) => around(chosen, "**", "words"));
                return true;
              },
            },
            {
              key: "Mod-Enter",
              run: (here) => {
                here.dom.closest("form")?.requestSubmit();
                return true;
              },
            },
            ...markdownKeymap,
            ...defaultKeymap,
            ...historyKeymap,
          ]),
          markdown(),
          syntaxHighlighting(MARKS),
          EditorView.lineWrapping,
          placeholder("What happens, why, and what helps – step by step."),
          LOOK,
          EditorView.updateListener.of((update) => {
            if (update.docChanged) latest.current.onChange(update.state.doc.toString());
          }),
          EditorView.domEventHandlers({
            paste: (event) => taken(event.clipboardData, event),
            drop: (event) => taken(event.dataTransfer, event),
            // Typed over what is chosen, the browser would carry its look along as an inline style,
            // which the page's policy refuses: it is put in as text.
            beforeinput: (event, here) => {
              if (event.inputType !== "insertText" || here.composing || here.state.selection.main.empty || !event.data) return false;
              event.preventDefault();
              here.dispatch(here.state.replaceSelection(event.data), { userEvent: "input.type", scrollIntoView: true });
              return true;
            },
          }),
        ],
      }),
    });
    view.current = made;
    return () => {
      view.current = null;
      made.destroy();
    };
    // One view as long as the field stands; what changes is read through `latest`.
  }, []);

  useEffect(() => {
    const here = view.current;
    if (!here || here.state.doc.toString() === value) return;
    here.dispatch({ changes: { from: 0, to: here.state.doc.length, insert: value } });
  }, [value]);

  useEffect(() => {
    const content = view.current?.contentDOM;
    if (!content) return;
    content.id = id;
    content.setAttribute("aria-label", label);
    content.setAttribute("aria-invalid", String(isWrong));
    if (describedBy) content.setAttribute("aria-describedby", describedBy);
    else content.removeAttribute("aria-describedby");
  }, [id, label, isWrong, describedBy]);

  return <div ref={host} className={`rounded-small border ${isWrong ? "border-rust" : "border-line-2"}`} />;
}
