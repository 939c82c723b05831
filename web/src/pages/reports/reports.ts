import { useQuery } from "@tanstack/react-query";
import { api, take, takeWhole, type Schemas } from "../../api";
import { sourceKey } from "../../keys";

export type Report = Schemas["Report"];
export type Spec = Schemas["ReportSpec"];
export type Part = Schemas["ReportPart"];

/** What is written of a report: the report itself, and of a correction what it corrects. */
export type Written = { spec: Spec; erratum?: Schemas["ReportErratum"] };

export const fetchDraft = async (key: string) => {
  const got = await takeWhole(api.GET("/reports/{report}/draft", { params: { path: { report: key } } }));
  return {
    etag: got.etag,
    person: got.data.person,
    written: got.data.written,
    doc: { spec: got.data.spec, erratum: got.data.erratum } as Written,
  };
};

export function useReport(key: string) {
  return useQuery({
    queryKey: sourceKey("report", key),
    queryFn: () => take(api.GET("/reports/{report}", { params: { path: { report: key } } })),
  });
}

/** The kinds of part and the figures that prose may name. */
export function useReportParts() {
  return useQuery({
    queryKey: sourceKey("reportParts"),
    queryFn: () => take(api.GET("/report-parts")),
    staleTime: Infinity,
  });
}

/** The names of these editions on a checklist version (default: the shown one), and its audiences. */
export function useStanding(checklist: string | undefined, editions: string[]) {
  return useQuery({
    queryKey: sourceKey("ranking", "of some that are accepted", checklist ?? "", editions),
    queryFn: () =>
      take(
        api.GET("/ranking", {
          params: { query: editions.length ? { checklist, only: editions } : { checklist, limit: 4 } },
        }),
      ),
    placeholderData: (old) => old,
    staleTime: 60_000,
  });
}

/** What the audiences of the checklist are called, by key. */
export function useAudienceTitles(): Map<string, string> {
  const shown = useQuery({
    queryKey: sourceKey("rankingHeading", "of all"),
    queryFn: () => take(api.GET("/ranking", { params: { query: { limit: 1 } } })),
    staleTime: 60_000,
  });
  return new Map((shown.data?.heading.audiences ?? []).map((a) => [a.key, a.title ?? a.key]));
}

/** The audiences of a report in words. */
export const forWhom = (audiences: string[], titles: Map<string, string>) =>
  audiences.map((a) => (a ? (titles.get(a) ?? a) : "everybody")).join(", ");
