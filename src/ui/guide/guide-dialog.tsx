"use client";

import { useQuery } from "@tanstack/react-query";
import Markdown from "markdown-to-jsx";
import { type ReactNode, useEffect, useRef, useState } from "react";
import { LABELS } from "@/ui/labels";
import { CloseButton, Modal } from "@/ui/shell/modal";
import { sentenceOf } from "@/ui/shell/queries";
import { guidePagesSchema, pagesWith } from "./guide-pages";

async function readPages() {
  const answer = await fetch("/guide/pages");
  return guidePagesSchema.parse(await answer.json());
}

/** Links of the guide lead to other files of the project: in the app they are words. */
const Words = ({ children }: { children?: ReactNode }) => <span>{children}</span>;

/** A picture of `docs/screenshots`, as the app serves it. */
const Picture = ({ src = "", alt }: { src?: string; alt?: string }) => (
  // biome-ignore lint/performance/noImgElement: a file of the project as it is, shown as large as it fits
  <img
    src={src.replace("../screenshots/", "/guide/pictures/")}
    alt={alt}
    loading="lazy"
    width={1280}
    height={800}
    className="my-2 h-auto w-full max-w-prose rounded-lg border border-rule"
  />
);

const LOOKS = {
  overrides: {
    a: { component: Words },
    img: { component: Picture },
    h1: { props: { className: "mb-2 font-semibold text-xl" } },
    h2: { props: { className: "mt-4 mb-1 font-semibold text-[15px]" } },
    h3: { props: { className: "mt-3 mb-1 font-semibold text-[13.5px]" } },
    p: { props: { className: "my-2 max-w-prose" } },
    ul: { props: { className: "my-2 grid max-w-prose list-disc gap-1 pl-5" } },
    ol: { props: { className: "my-2 grid max-w-prose list-decimal gap-1 pl-5" } },
    table: { props: { className: "table table-xs my-2 w-fit" } },
    code: { props: { className: "figure rounded bg-base-200 px-1 text-[12px]" } },
  },
} as const;

/** The guide: the same text as in `docs/guide`, by chapters, searched as it is typed. */
export default function GuideDialog({
  page: first,
  section,
  onClose,
}: {
  page: string | null;
  section: string | null;
  onClose: () => void;
}) {
  const { data: pages, error } = useQuery({
    queryKey: ["guide"],
    queryFn: readPages,
    staleTime: Number.POSITIVE_INFINITY,
  });
  const [search, setSearch] = useState("");
  const [chosen, setChosen] = useState(first);
  const found = pagesWith(pages ?? [], search);
  const shown = found.find(({ page }) => page.name === chosen) ?? found[0];
  return (
    <Modal
      title={LABELS.guide}
      width={1040}
      onClose={onClose}
      actions={(close) => <CloseButton onClick={close}>{LABELS.close}</CloseButton>}
    >
      <div className="grid h-[60vh] min-h-0 grid-cols-[14rem_minmax(0,1fr)] gap-6">
        <div className="grid min-h-0 content-start gap-2 overflow-auto">
          <input
            type="search"
            aria-label={LABELS.searchTheGuide}
            placeholder="Search"
            className="input input-sm w-full border-rule"
            value={search}
            onChange={(event) => setSearch(event.target.value)}
          />
          <nav aria-label="Chapters">
            <ol className="grid gap-0.5">
              {found.map(({ page, count }) => (
                <li key={page.name}>
                  <button
                    type="button"
                    aria-current={page.name === shown?.page.name ? "page" : undefined}
                    className={`w-full cursor-pointer rounded px-2 py-1 text-left text-[13px] hover:bg-base-content/5 ${page.name === shown?.page.name ? "bg-base-content/8 font-semibold" : ""}`}
                    onClick={() => setChosen(page.name)}
                  >
                    {page.title}
                    {count > 0 && <span className="figure ml-1.5 text-[11px] text-soft">{count}</span>}
                  </button>
                </li>
              ))}
            </ol>
          </nav>
          {pages && found.length === 0 && <p className="text-[13px] text-soft">{LABELS.noChapterContainsTheseWords}</p>}
        </div>
        <Chapter title={shown?.page.title ?? "Guide"} section={shown?.page.name === first ? section : null}>
          {error && (
            <p role="alert" className="text-error">
              {sentenceOf(error)}
            </p>
          )}
          {shown && <Markdown options={LOOKS}>{shown.page.text}</Markdown>}
        </Chapter>
      </div>
    </Modal>
  );
}

function Chapter({ title, section, children }: { title: string; section: string | null; children: ReactNode }) {
  const box = useRef<HTMLElement>(null);
  // At the heading that was asked for, or at the top of a chapter that is opened.
  useEffect(() => {
    const heading = section && box.current?.querySelector(`#${CSS.escape(section)}`);
    if (heading) heading.scrollIntoView({ block: "start" });
    else if (title) box.current?.scrollTo({ top: 0 });
  }, [section, title]);
  return (
    // biome-ignore lint/a11y/noNoninteractiveTabindex: a text that scrolls is scrolled by keys
    <section ref={box} className="min-h-0 overflow-auto pr-2 text-[13.5px]" tabIndex={0} aria-label={title}>
      {children}
    </section>
  );
}
