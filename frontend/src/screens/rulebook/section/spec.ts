import type { ComponentType, ReactNode } from "react";
import type { Book, Entry } from "../data";

export interface Option {
  key: string;
  name: string;
}

/** A column of a section's list, with what it sorts by. */
interface SectionColumn<T> {
  label: string;
  of: (one: T, book: Book) => string;
  isRight?: boolean;
}

/** A property that many entries can be given at once. */
interface BulkField {
  name: string;
  label: string;
  choices: (book: Book) => Option[];
  /** What a choice stands for; its key, unless it says otherwise. An empty text removes the property. */
  value?: (key: string) => unknown;
}

/** What the list of a section knows of its entries. */
export interface SectionSpec<T extends Entry> {
  section: string;
  title: string;
  /** One of them, in a word or two. */
  one: string;
  about: string;
  nameOf: (one: T) => string;
  groupOf?: (one: T, book: Book) => string;
  /** The order of the groups, where it is not that of their names. */
  groupOrder?: (book: Book) => string[];
  /** What it is found by besides its name and its columns. */
  wordsOf?: (one: T) => string;
  isOff?: (one: T) => boolean;
  /** Whether their order means something: the first that applies counts. */
  isOrdered?: boolean;
  columns: SectionColumn<T>[];
  bulk: BulkField[];
  /** A new one; several kinds of new ones where `fresh` has more than one name. */
  fresh: { label: string; make: (key: string, book: Book) => T }[];
  /** What a new one is called until it has a name; its key is made from it. */
  freshName: string;
  /** What stands between the words of its key, and keys that are taken elsewhere. */
  keyJoiner?: string;
  taken?: (book: Book) => string[];
  /** Whether a new one goes before the others. */
  isNewFirst?: boolean;
  /** An entry under another name, where the name is not its property `name`. */
  renamed?: (one: T, name: string) => T;
  Editor: ComponentType<{ stored: T }>;
  below?: ReactNode;
}

export const yesNo = (yes: string, no: string): Option[] => [
  { key: "yes", name: yes },
  { key: "no", name: no },
];
