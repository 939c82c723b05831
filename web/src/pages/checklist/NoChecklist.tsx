import { Link } from "react-router";
import { Empty } from "../../components/States";
import { useMay } from "../../session";

/** What the checklist's pages show while there is none. */
export function NoChecklist() {
  const lead = useMay()("edit-checklist");
  return (
    <Empty>
      <h1 className="mb-2 text-ink">There is no checklist yet</h1>
      {lead ? (
        <>
          <p>
            Everything is scored against a checklist. Start with the one that comes with Dapper Tally, or add your own.
          </p>
          <p className="mt-3">
            <Link className="act" to="/checklist/new">
              Add a checklist
            </Link>
          </p>
        </>
      ) : (
        <p>A lead of the team can add one.</p>
      )}
    </Empty>
  );
}
