/** Links to what is shown here as files to export. */
export function Export({
  what,
  title,
  forms,
  query = {},
}: {
  what: string;
  title: string;
  forms: string[];
  query?: Record<string, string | string[] | boolean | undefined>;
}) {
  const address = (form: string) => {
    const all = new URLSearchParams({ form });
    for (const [name, value] of Object.entries(query))
      for (const v of Array.isArray(value) ? value : [value]) if (v) all.append(name, String(v));
    return `/api/v1/exports/${what}?${all}`;
  };
  return (
    <p className="flex flex-wrap gap-x-4 border-b border-rule py-1 text-[13px]">
      <span className="w-full text-soft sm:w-44">{title}</span>
      {forms.map((f) => (
        <a key={f} className="act" href={address(f)} download>
          {names[f] ?? f.toUpperCase()}
        </a>
      ))}
    </p>
  );
}

const names: Record<string, string> = { jsonl: "JSON Lines", md: "Markdown", tap: "TAP results" };
