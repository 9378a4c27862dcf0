// Runs the Khronos validator over GLB files; fails when it has an error or a warning to report.
import { readFileSync } from 'node:fs';
import validator from 'gltf-validator';

let bad = 0;
for (const file of process.argv.slice(2)) {
  const { issues } = await validator.validateBytes(new Uint8Array(readFileSync(file)));
  const shown = issues.messages.filter((message) => message.severity <= 1);
  console.log(`${file}: ${issues.numErrors} errors, ${issues.numWarnings} warnings`);
  for (const { code, message, pointer } of shown.slice(0, 10)) console.log(`  ${code} ${pointer}: ${message}`);
  bad += issues.numErrors + issues.numWarnings;
}
if (process.argv.length < 3) throw new Error('Name the files to validate.');
process.exit(bad > 0 ? 1 : 0);
