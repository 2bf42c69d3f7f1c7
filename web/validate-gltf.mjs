// Prints the Khronos validator's report on a glTF file; the tests call it.
import { readFile } from "node:fs/promises";
import validator from "gltf-validator";

const report = await validator.validateBytes(new Uint8Array(await readFile(process.argv[2])), { maxIssues: 20 });
console.log(JSON.stringify(report));
