// npm run grammar: writes the parser of the formula language anew from its grammar.
import { readFileSync, writeFileSync } from 'node:fs';
import { buildParserFile } from '@lezer/generator';

const FOLDER = 'src/lib/core/script';
const { parser } = buildParserFile(readFileSync(`${FOLDER}/script.grammar`, 'utf8'), { fileName: 'script.grammar', moduleStyle: 'es' });
const head = '// Made from script.grammar by `npm run grammar`. Do not edit.\n';
writeFileSync(`${FOLDER}/parser.generated.js`, head + parser.replace(/^\/\/.*\n/, ''));
