// npm run bench [-- --cells 1000000,5000000] [--json]: ours against a peer, both in this run on the same generated data.
import { cpus } from 'node:os';
import { benchData } from './data';
import { openForm } from './open-form';
import type { Measure } from './timing';

const option = (name: string) => {
	const at = process.argv.indexOf(name);
	return at < 0 ? undefined : process.argv[at + 1];
};
const sizes = (option('--cells') ?? '1000000,5000000').split(',').map(Number);
console.log(`Node.js ${process.version}, ${cpus().length} × ${cpus()[0]?.model}. Medians of 9 runs after a warm-up; storing not included.`);
const measures: Measure[] = [];
for (const cells of sizes) {
	const data = await benchData(cells);
	console.log(
		`${data.cells.toLocaleString('en-GB')} cells in ${data.model.dimensions.length + 1} dimensions: ${(data.cube.bytes / data.cells).toFixed(1)} bytes a cell in the cube`
	);
	measures.push(await openForm(data));
}
console.table(
	Object.fromEntries(
		measures.map(({ name, ours, peer, ratio, aim }) => [
			name,
			{
				'ours ms': ours.toFixed(1),
				'DuckDB ms': peer.toFixed(1),
				ratio: `${ratio.toFixed(2)}×`,
				aim: `≤ ${aim}×`,
				'': ratio <= aim ? 'met' : 'missed'
			}
		])
	)
);
if (process.argv.includes('--json'))
	console.log(JSON.stringify(measures.map(({ name, ratio, aim, ours, peer }) => ({ name, ratio, aim, ours, peer }))));
