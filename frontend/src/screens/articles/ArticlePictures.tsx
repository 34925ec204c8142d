import { useQuery } from "@tanstack/react-query";
import { X } from "lucide-react";
import { toast } from "sonner";
import { api, ok, sentence } from "../../api/client";
import type { Chosen, Edit } from "./markdownEdits";
import { picture, shownBy } from "./markdownEdits";

const SIZES = [
  { size: "", name: "wide" },
  { size: "#half", name: "half" },
  { size: "#small", name: "small" },
];

interface ArticlePicturesProps {
  number: number;
  body: string;
  does: (edit: (chosen: Chosen) => Edit) => void;
  onGone: () => void;
}

/** The pictures an article has: put into the text at a width, or removed while no version shows them. */
export function ArticlePictures({ number, body, does, onGone }: ArticlePicturesProps) {
  const { data } = useQuery({
    queryKey: ["article", number, "pictures"],
    queryFn: () => ok(api.GET("/api/articles/{number}/pictures", { params: { path: { number } } })),
  });
  if (!data || data.length === 0)
    return <p className="text-[13px] text-ink-2">Pictures: paste one, drop it into the text, or press Picture above it.</p>;
  const remove = async (name: string) => {
    try {
      await ok(api.DELETE("/api/articles/{number}/pictures/{name}", { params: { path: { number, name } } }));
      onGone();
    } catch (problem) {
      toast.error(sentence(problem));
    }
  };
  return (
    <section aria-label="Pictures">
      <h2 className="font-semibold text-ink-2">Pictures</h2>
      <ul className="mt-1 flex flex-wrap gap-3">
        {data.map((one) => {
          const isShown = body.includes(one.shown_as);
          return (
            <li key={one.name} className="flex items-center gap-2 rounded-small border border-line bg-sheet p-1.5">
              <img src={one.address} alt={shownBy(one.name)} className="h-12 w-16 rounded object-cover" />
              <span className="text-[13px]">
                <span className="block max-w-[180px] truncate" title={one.name}>
                  {shownBy(one.name)}
                </span>
                <span className="flex gap-2 text-ink-2">
                  {isShown
                    ? "in the text"
                    : SIZES.map(({ size, name }) => (
                        <button
                          key={name}
                          type="button"
                          className="min-h-[24px] underline"
                          aria-label={`Put ${shownBy(one.name)} into the text, ${name}`}
                          onClick={() => does((chosen) => picture(chosen, one.name, shownBy(one.name), size))}
                        >
                          {name}
                        </button>
                      ))}
                </span>
              </span>
              {isShown ? null : (
                <button
                  type="button"
                  aria-label={`Remove ${shownBy(one.name)}`}
                  title="Remove"
                  className="grid size-[26px] place-items-center rounded-small text-ink-2 hover:bg-sea-3"
                  onClick={() => void remove(one.name)}
                >
                  <X size={15} aria-hidden />
                </button>
              )}
            </li>
          );
        })}
      </ul>
    </section>
  );
}
