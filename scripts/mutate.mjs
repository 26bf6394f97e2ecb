// npm run mutate: changes the core on purpose, one place at a time, and tells how many of the changes its tests notice.
// A sample a folder (--sample 20), the same for the same --seed; --only cube,entry for some folders. Sources are put back.
import { spawnSync } from 'node:child_process';
import { readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import ts from 'typescript';
import { run, say } from './lib/say.mjs';

const CORE = 'src/lib/core';
const option = (name, otherwise) => {
	const at = process.argv.indexOf(`--${name}`);
	return at < 0 ? otherwise : process.argv[at + 1];
};
const SWAPS = new Map([
	['+', '-'],
	['-', '+'],
	['*', '/'],
	['/', '*'],
	['<', '<='],
	['<=', '<'],
	['>', '>='],
	['>=', '>'],
	['===', '!=='],
	['!==', '==='],
	['&&', '||'],
	['||', '&&'],
	['??', '&&']
]);

/** Every place of a source that can be changed, with what stands there then. */
function mutantsOf(file) {
	const text = readFileSync(file, 'utf8');
	const source = ts.createSourceFile(file, text, ts.ScriptTarget.Latest, true);
	const found = [];
	const add = (node, to) => found.push({ file, from: node.getStart(source), end: node.getEnd(), to });
	const visit = (node) => {
		if (ts.isTypeNode(node) || ts.isImportDeclaration(node) || ts.isExportDeclaration(node) || ts.isThrowStatement(node)) return;
		if (ts.isBinaryExpression(node)) {
			const to = SWAPS.get(node.operatorToken.getText(source));
			// Texts are joined with + too; those are not numbers.
			if (to && !/['"`]/.test(node.getText(source))) add(node.operatorToken, to);
		} else if (node.kind === ts.SyntaxKind.TrueKeyword) add(node, 'false');
		else if (node.kind === ts.SyntaxKind.FalseKeyword) add(node, 'true');
		else if (ts.isNumericLiteral(node)) add(node, String(Number(node.text.replaceAll('_', '')) + 1));
		else if (ts.isIfStatement(node)) add(node.expression, 'false');
		else if (ts.isPrefixUnaryExpression(node) && node.operator === ts.SyntaxKind.ExclamationToken) add(node, node.operand.getText(source));
		ts.forEachChild(node, visit);
	};
	visit(source);
	return found.map((mutant) => ({ ...mutant, text }));
}

/** Whether the tests notice: those of the folder first, then all of the core. */
const isKilled = (folder) =>
	[`${CORE}/${folder}`, CORE].some(
		(of) =>
			spawnSync('node_modules/.bin/vitest', ['run', '--config', 'scripts/lib/core-tests.config.mjs', '--bail=1', '--reporter=dot', of], {
				stdio: 'ignore',
				timeout: 600_000
			}).status !== 0
	);

await run(async () => {
	const only = option('only', '')?.split(',').filter(Boolean);
	const sample = Number(option('sample', '20'));
	let seed = Number(option('seed', '1'));
	const random = () => ((seed = (seed * 48_271) % 2_147_483_647) - 1) / 2_147_483_646;
	const folders = readdirSync(CORE, { withFileTypes: true })
		.filter((entry) => entry.isDirectory() && entry.name !== 'testing' && (only.length === 0 || only.includes(entry.name)))
		.map(({ name }) => name);
	const rows = [];
	for (const folder of folders) {
		const files = readdirSync(join(CORE, folder), { recursive: true })
			.map((name) => join(CORE, folder, String(name)))
			.filter((name) => name.endsWith('.ts') && !/\.test\.ts$|\.d\.ts$|generated/.test(name));
		const all = files.flatMap(mutantsOf);
		const picked = Array.from({ length: Math.min(sample, all.length) }, () => all.splice(Math.floor(random() * all.length), 1)[0]);
		let killed = 0;
		for (const { file, from, end, to, text } of picked) {
			writeFileSync(file, text.slice(0, from) + to + text.slice(end));
			try {
				if (isKilled(folder)) killed++;
				else say(`  survives: ${file}:${text.slice(0, from).split('\n').length}  ${text.slice(from, end).slice(0, 60)} → ${to}`);
			} finally {
				writeFileSync(file, text);
			}
		}
		rows.push({ folder, changes: picked.length, noticed: killed, share: `${Math.round((killed / Math.max(1, picked.length)) * 100)} %` });
		say(`${folder}: ${killed} of ${picked.length} noticed`);
	}
	console.table(rows);
});
