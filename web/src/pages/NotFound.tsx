import { useState } from "react";
import { Link, useLocation } from "react-router";
import { useFound } from "../components/Combobox";
import { TextField } from "../components/Fields";
import { Frame } from "../components/Frame";
import { Failure } from "../components/States";
import { everySort, sortTitles } from "../components/palette/sorts";

/** The words of an address, to search for: its last parts, without dashes. */
const wordsOf = (pathname: string) => {
  let path = pathname;
  try {
    path = decodeURIComponent(pathname);
  } catch {
    // An address that cannot be decoded is searched for as it is.
  }
  return path.split("/").filter(Boolean).slice(-1).join(" ").replaceAll("-", " ").slice(0, 100);
};

/** There is nothing at an address: what was perhaps meant, and a search. */
export default function NotFound() {
  const { pathname } = useLocation();
  return <Search key={pathname} begin={wordsOf(pathname)} />;
}

function Search({ begin }: { begin: string }) {
  const [words, setWords] = useState(begin);
  const found = useFound(words, everySort);
  const places = (found.data ?? []).filter((f) => f.address).slice(0, 12);
  return (
    <Frame title="Not found">
      <h1>There is no such page</h1>
      <p className="mt-1 max-w-prose text-soft">
        The address may be mistyped, or what it names was renamed. Search for it, or go to{" "}
        <Link className="act" to="/">
          the ranking
        </Link>
        .
      </p>
      <div className="mt-4 max-w-sm">
        <TextField label="Search" value={words} onChange={setWords} />
      </div>
      <ul className="mt-3 max-w-prose" aria-label="Found">
        {places.map((f) => (
          <li key={f.sort + f.key} className="border-b border-rule py-1">
            <Link className="act" to={f.address}>
              {f.title}
            </Link>{" "}
            <span className="text-[13px] text-soft">
              {sortTitles[f.sort]}
              {f.detail && ` · ${f.detail}`}
            </span>
          </li>
        ))}
      </ul>
      <p role="status" className="mt-2 text-[13px] text-soft">
        {words.trim() && !found.isFetching && found.isSuccess && places.length === 0 && "Nothing has these words."}
      </p>
      {found.isError && <Failure error={found.error} again={() => void found.refetch()} />}
    </Frame>
  );
}
