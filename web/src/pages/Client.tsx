import { QRCodeSVG } from "qrcode.react";
import { Link } from "react-router";
import { Copied } from "../components/Copied";
import { Frame } from "../components/Frame";
import { Sideways } from "../components/Sideways";
import { Answered } from "../components/Answered";
import { rounded } from "../numbers";
import { useAbout } from "../session";

/** Where a machine under review gets dtally: one line for its shell, and the files with their hashes. */
export default function ClientPage() {
  const about = useAbout();
  const server = location.origin;
  return (
    <Frame title="Get the client">
      <h1>Get the client</h1>
      <p className="mt-1 max-w-prose text-soft">
        <code>dtally</code> surveys and measures a machine under review and sends the results here. It is a single file
        and needs nothing else.
      </p>
      <Answered of={[about]} what="the clients" none={null}>
        {(a) =>
          (a.clients ?? []).length === 0 ? (
            <p className="mt-6 max-w-prose">
              This service offers no client. An administrator can build the clients with <code>make clients</code> and
              name their folder in the setting <code>clients</code>.
            </p>
          ) : (
            <div className="mt-6 grid gap-10 md:grid-cols-[minmax(0,1fr)_auto]">
              <div className="min-w-0">
                <h2>Three commands to the first measurement</h2>
                <ol className="mt-3 list-decimal space-y-4 pl-5">
                  <li>
                    <span className="block">
                      Download the client to the current folder. The command picks the file for this machine and checks
                      its SHA-256.
                    </span>
                    <Copied text={`curl -fsS ${server}/get | sh`} />
                    <span className="mt-1 block text-[13px] text-soft">
                      Without curl: <code className="break-all">wget -qO- {server}/get | sh</code>
                    </span>
                  </li>
                  <li>
                    <span className="block">
                      Sign the machine in. It shows a code that you approve on the page{" "}
                      <Link className="act" to="/machine">
                        Sign a machine in
                      </Link>
                      .
                    </span>
                    <Copied text={`./dtally login --server ${server}`} />
                  </li>
                  <li>
                    <span className="block">Run all automatic measurements and submit the results.</span>
                    <Copied text="./dtally measure --rig RIG --submit" />
                  </li>
                </ol>
                <h2 className="mt-8">The files</h2>
                <Sideways label="The files">
                  <table className="ledger">
                    <thead>
                      <tr>
                        <th className="margin">Architecture</th>
                        <th className="num">MiB</th>
                        <th>SHA-256</th>
                      </tr>
                    </thead>
                    <tbody>
                      {a.clients?.map((p) => (
                        <tr key={p.architecture}>
                          <th scope="row" className="margin">
                            <a className="act" href={p.path} download="dtally">
                              {p.architecture}
                            </a>
                          </th>
                          <td className="num">{rounded(p.size / 2 ** 20, 1)}</td>
                          <td className="text-[12px] break-all whitespace-normal">
                            <code>{p.sha256}</code>
                          </td>
                        </tr>
                      ))}
                    </tbody>
                  </table>
                </Sideways>
                {a.version && <p className="mt-2 text-[13px] text-soft">Built from {a.version}.</p>}
              </div>
              <figure className="w-[184px]">
                <div className="bg-white p-3">
                  <QRCodeSVG value={`${server}/get`} size={160} title={`The address ${server}/get`} />
                </div>
                <figcaption className="mt-1 text-[13px] break-all text-soft">{server}/get</figcaption>
              </figure>
            </div>
          )
        }
      </Answered>
    </Frame>
  );
}
