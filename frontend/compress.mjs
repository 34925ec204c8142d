// Packs what was built once, so that it is sent packed without being packed anew each time.
import { readdirSync, readFileSync, statSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { brotliCompressSync, constants, gzipSync } from "node:zlib";

const TEXT = /\.(js|css|html|svg|json)$/;
const LEAST = 600; // of less, nothing is gained

function* files(folder) {
  for (const name of readdirSync(folder)) {
    const path = join(folder, name);
    if (statSync(path).isDirectory()) yield* files(path);
    else if (TEXT.test(name)) yield path;
  }
}

for (const path of files(process.argv[2] ?? "dist")) {
  const plain = readFileSync(path);
  if (plain.length < LEAST) continue;
  const size = { [constants.BROTLI_PARAM_SIZE_HINT]: plain.length };
  writeFileSync(`${path}.br`, brotliCompressSync(plain, { params: size }));
  writeFileSync(`${path}.gz`, gzipSync(plain, { level: 9 }));
}
