import tailwindcss from "@tailwindcss/vite";
import react from "@vitejs/plugin-react";
import { createHash } from "node:crypto";
import { readdirSync, readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { brotliCompressSync, constants, gzipSync } from "node:zlib";
import { defineConfig, type Plugin } from "vite";

const hash = (data: string | Buffer) => createHash("sha256").update(data).digest("hex").slice(0, 16);

/**
 * Says which build the console is, in a meta element of its page, and lists for the service worker what it keeps:
 * the page, all code and styles, and the fonts that most pages need.
 */
function kept(): Plugin {
  return {
    name: "kept",
    apply: "build",
    writeBundle({ dir = "dist" }) {
      const assets = readdirSync(join(dir, "assets")).sort();
      const page = join(dir, "index.html");
      const build = hash(assets.join());
      writeFileSync(
        page,
        readFileSync(page, "utf8").replace("</title>", `</title>\n    <meta name="console" content="${build}" />`),
      );
      const whole = ["index.html", "tally.svg"].map((url) => ({
        url: `/${url}`,
        revision: hash(readFileSync(join(dir, url))),
      }));
      const hashed = assets
        .filter((name) => /\.(js|css)$|latin-(wght|400|500|600)-normal.*\.woff2$/.test(name))
        .map((name) => ({ url: `/assets/${name}`, revision: null })); // their names carry a hash
      const worker = join(dir, "sw.js");
      writeFileSync(
        worker,
        readFileSync(worker, "utf8").replace("self.__WB_MANIFEST", JSON.stringify([...whole, ...hashed])),
      );
    },
  };
}

/** Compresses what browsers fetch, as well as Brotli and gzip can: the service sends it as it is. */
function compressed(): Plugin {
  return {
    name: "compressed",
    apply: "build",
    enforce: "post",
    writeBundle({ dir = "dist" }) {
      for (const name of readdirSync(dir, { recursive: true, encoding: "utf8" })) {
        if (!/\.(js|css|svg)$/.test(name)) continue;
        const whole = readFileSync(join(dir, name));
        const small = brotliCompressSync(whole, { params: { [constants.BROTLI_PARAM_SIZE_HINT]: whole.length } });
        if (small.length >= whole.length) continue;
        writeFileSync(join(dir, `${name}.br`), small);
        writeFileSync(join(dir, `${name}.gz`), gzipSync(whole, { level: 9 })); // for a service without TLS
      }
    },
  };
}

export default defineConfig({
  resolve: { alias: { "react-style-singleton": join(import.meta.dirname, "src/sheets.ts") } },
  plugins: [react(), tailwindcss(), kept(), compressed()],
  build: {
    target: "es2022",
    emptyOutDir: true,
    modulePreload: { polyfill: false },
    rollupOptions: {
      input: { index: "index.html", sw: "src/worker/sw.ts" },
      output: {
        entryFileNames: (chunk) => (chunk.name === "sw" ? "sw.js" : "assets/[name]-[hash].js"),
        // The first page names them all, and what is in a hash cannot be compressed.
        chunkFileNames: "assets/[name]-[hash:7].js",
        hashCharacters: "hex",
      },
    },
  },
  server: {
    proxy: { "/api": "http://127.0.0.1:8310", "/report": "http://127.0.0.1:8310", "/docs": "http://127.0.0.1:8310" },
  },
});
