import { type RefObject } from "react";
import { useLocation, useNavigate } from "react-router";

/** A text with its marks. Links within the application are followed within it, on the side one is on. */
export function Marked({ html, language, ref }: { html: string; language?: string; ref?: RefObject<HTMLDivElement | null> }) {
  const navigate = useNavigate();
  const isDesk = useLocation().pathname.startsWith("/desk");
  return (
    <div
      ref={ref}
      lang={language}
      className="marked text-[16px] leading-[1.5]"
      onClick={(event) => {
        const link = event.target instanceof Element ? event.target.closest("a") : null;
        const address = link?.getAttribute("href") ?? "";
        if (!/^\/(?!\/|api\/)/.test(address) || event.ctrlKey || event.metaKey || event.shiftKey || event.altKey) return;
        event.preventDefault();
        void navigate(isDesk && address.startsWith("/articles/") ? `/desk${address}` : address);
      }}
      dangerouslySetInnerHTML={{ __html: html }}
    />
  );
}
