import { Link } from "react-router";
import { Frame } from "../components/Frame";
import { Empty } from "../components/States";

export function NotFound() {
  return (
    <Frame title="Not found">
      <Empty>
        <h1 className="mb-2 text-ink">There is no such page</h1>
        <p>The address may be mistyped, or what it names was renamed. Search for it with Ctrl K.</p>
        <p className="mt-3">
          <Link className="act" to="/">
            Ranking
          </Link>
        </p>
      </Empty>
    </Frame>
  );
}
