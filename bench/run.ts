// npm run bench [-- --cells 1000000,5000000] [--json]: ours against a peer, both in this run on the same generated data.
import { cpus } from 'node:os';
import { allocation } from './allocation';
import { allocationStored } from './allocation-stored';
import { benchData } from './data';
import { formPage } from './form-page';
import { liveFormula } from './live-formula';
import { loadAtSize } from './load';
import { openCold } from './open-cold';
import { accessMeasures } from './access';
import { accessOfMany } from './access-many';
import { branchMeasures } from './branch';
import { cycleMeasures } from './cycle';
import { insightMeasures } from './insight';
import { openForm } from './open-form';
import { memory } from './memory';
import { measure, type Measure } from './timing';
import { runStored } from './run-stored';
import { runbooks } from './runbooks';
import { scriptEditor } from './script-editor';
import { structureAtSize } from './structure';
import { typeCell } from './type-cell';
import { typePrice } from './type-price';

const option = (name: string) => {
	const at = process.argv.indexOf(name);
	return at < 0 ? undefined : process.argv[at + 1];
};
const sizes = (option('--cells') ?? '1000000,5000000,10000000').split(',').map(Number);
console.log(
	`Node.js ${process.version}, ${cpus().length} × ${cpus()[0]?.model}. Medians of at least seven runs after a warm-up, in milliseconds; the peer is DuckDB, warm, unless named; storing is not included.`
);
const measures: Measure[] = [];
/** One subject alone: `--only load`. */
const only = option('--only');
const opening = new Map<number, number>();
for (const size of only && only !== 'cells' ? [] : sizes) {
	const data = await benchData(size);
	console.log(
		`${data.cells.toLocaleString('en-GB')} cells in ${data.model.dimensions.length + 1} dimensions: ${(data.cube.bytes / data.cells).toFixed(1)} bytes a cell in the cube (aim at 5M: ≤ 40)`
	);
	if (size === 5_000_000) measures.push(measure('memory at 5M, bytes a cell (peer: 40 B)', data.cube.bytes / data.cells, 40, 1));
	const opened = await openForm(data);
	opening.set(size, opened.ours);
	measures.push(opened, await typeCell(data));
	if (size <= 5_000_000) measures.push(await openCold(data));
	data.duck.closeSync();
}
if (!only || only === 'live') measures.push(await typePrice(), await liveFormula(1_000_000));
if (!only) measures.push(...(await structureAtSize()));
if (!only || only === 'runbooks') measures.push(...(await runbooks()));
if (!only || only === 'allocation') measures.push(...(await allocation()), ...(await allocationStored()));
if (!only || only === 'access') measures.push(...(await accessMeasures(1_000_000)), ...(await accessOfMany()));
if (!only || only === 'cycle') measures.push(...(await cycleMeasures()));
if (!only || only === 'branch') measures.push(...(await branchMeasures()));
if (!only || only === 'insight') measures.push(...(await insightMeasures()));
if (!only || only === 'run') measures.push(...(await runStored()));
if (!only || only === 'load') measures.push(...(await loadAtSize()));
if (!only || only === 'editor') measures.push(...(await scriptEditor()));
if (!only || only === 'memory') measures.push(...(await memory()));
if (!only || only === 'form') measures.push(...(await formPage()));
const [least, most] = [sizes[0]!, sizes.at(-1)!];
if (!only && most > least)
	measures.push(
		measure(
			`growth from ${least / 1e6}M to ${most / 1e6}M cells (peer: linear)`,
			opening.get(most)!,
			(opening.get(least)! * most) / least,
			1.1
		)
	);

console.table(
	Object.fromEntries(
		measures.map(({ name, ours, peer, ratio, aim }) => [
			name,
			{
				ours: ours.toFixed(2),
				peer: peer.toFixed(1),
				ratio: `${ratio.toFixed(3)}×`,
				aim: `≤ ${aim}×`,
				'': ratio <= aim ? 'met' : 'missed'
			}
		])
	)
);
if (process.argv.includes('--json'))
	console.log(JSON.stringify(measures.map(({ name, ratio, aim, ours, peer }) => ({ name, ratio, aim, ours, peer }))));
