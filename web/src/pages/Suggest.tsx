import { useMutation } from "@tanstack/react-query";
import { useState, type FormEvent } from "react";
import { useSearchParams } from "react-router";
import { api, take, type Schemas } from "../api";
import { TextField } from "../components/Fields";
import { Frame } from "../components/Frame";
import { Refused } from "../components/States";
import { suggestionSorts } from "./team/Suggestions";
import { useAbout } from "../session";
import { useDraft } from "../drafts";

/** The form that needs no account. */
export default function SuggestPage() {
  const [search] = useSearchParams();
  const about = useAbout();
  const [sort, setSort] = useState<Schemas["SuggestionSort"]>(
    (search.get("sort") as Schemas["SuggestionSort"]) ?? "review",
  );
  const [subject, setSubject] = useState(search.get("about") ?? "");
  const [text, setText, sent] = useDraft("text", "");
  const [contact, setContact, forget] = useDraft("contact", "");
  const send = useMutation({
    mutationFn: () => take(api.POST("/suggestions", { body: { sort, subject, text, contact: contact || undefined } })),
    onSuccess: () => (sent(), forget()),
  });
  const submit = (e: FormEvent) => {
    e.preventDefault();
    send.mutate();
  };
  return (
    <Frame title="Suggest">
      <h1>Make a suggestion</h1>
      {send.isSuccess ? (
        <p role="status" className="mt-4 max-w-xl">
          Thank you. A lead of {about.data?.team ?? "the team"} will read your suggestion.
        </p>
      ) : (
        <form onSubmit={submit} className="mt-3 grid max-w-xl gap-4">
          <fieldset>
            <legend className="text-[13px] text-soft">Kind</legend>
            {(Object.keys(suggestionSorts) as Schemas["SuggestionSort"][]).map((s) => (
              <label key={s} className="mr-6 inline-flex items-center gap-2 py-1">
                <input
                  type="radio"
                  name="sort"
                  className="accent-(--accent)"
                  checked={sort === s}
                  onChange={() => setSort(s)}
                />
                {suggestionSorts[s]}
              </label>
            ))}
          </fieldset>
          <TextField
            label="About"
            hint={sort === "checklist" ? "a criterion or section" : "a distribution, release or edition"}
            value={subject}
            onChange={setSubject}
          />
          <TextField label="Your suggestion, and why" rows={5} value={text} onChange={setText} />
          <TextField label="How to reach you" hint="optional" value={contact} onChange={setContact} />
          <p>
            <button type="submit" className="main-act" disabled={send.isPending}>
              Send
            </button>
          </p>
          <Refused error={send.error} />
        </form>
      )}
    </Frame>
  );
}
