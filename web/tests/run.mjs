// Runs the tests of the web's own sums: `node tests/run.mjs` in web/. They are loaded by Vite, as the page's
// sources are.
import console from "node:console";
import { readdir } from "node:fs/promises";
import process from "node:process";
import { createServer } from "vite";

const server = await createServer({
  appType: "custom",
  logLevel: "error",
  optimizeDeps: { noDiscovery: true },
  server: { middlewareMode: true, ws: false, watch: null },
});
const files = (await readdir(import.meta.dirname)).filter((file) => file.endsWith(".test.ts"));
for (const file of files.sort()) await server.ssrLoadModule(`/tests/${file}`);
const { tests } = await server.ssrLoadModule("/tests/check.ts");

let failed = 0;
for (const { name, run } of tests) {
  try {
    run();
  } catch (problem) {
    failed += 1;
    console.error(`${name}: ${problem.message}`);
  }
}
await server.close();
console.log(`${tests.length} tests, ${failed} failed`);
process.exit(failed > 0 || tests.length === 0 ? 1 : 0);
