// What is left in memory of forms that were opened: 200 people in turn, forms and choices of the demo.
import { setFlagsFromString } from 'node:v8';
import { runInNewContext } from 'node:vm';
import { openPool } from '../src/lib/server/database/pool';
import { ModelEngine } from '../src/lib/server/engine/model-engine';
import { answerOf } from '../src/lib/server/engine/requests';
import { layoutSchema } from '../src/lib/server/definition/layout-schema';
import { withDemo } from './application';
import { measure, type Measure } from './timing';

const PEOPLE = 200;
const WARM_UP = 2_000;
const OPENS = 10_000;

/** How much an engine grows with forms opened after a warm-up, in MB per 1,000 opens (aim: 1). */
export const memory = (): Promise<Measure[]> =>
	withDemo(async (pool, url) => {
		setFlagsFromString('--expose-gc');
		const collect = runInNewContext('gc') as () => void;
		const held = () => {
			collect();
			const { heapUsed, arrayBuffers } = process.memoryUsage();
			return (heapUsed + arrayBuffers) / 1024 ** 2;
		};
		const engine = await ModelEngine.open(openPool(url, 2), 1, () => {});
		const forms = await pool.query<{ layout: unknown }>('SELECT layout FROM form WHERE model_id = 1 ORDER BY id');
		const layouts = forms.rows.map(({ layout }) => layoutSchema.parse(layout));
		const lines = await pool.query<{ dimension: number; member: number }>(
			"SELECT d.id AS dimension, m.id AS member FROM member m JOIN dimension d ON d.id = m.dimension_id WHERE d.code = 'line' ORDER BY m.id"
		);
		const open = (at: number) => {
			const line = lines.rows[at % lines.rows.length]!;
			return answerOf(engine, 'form', {
				person: 1 + (at % PEOPLE),
				rules: {
					mayEnter: true,
					grants: [{ name: `Grant ${at % PEOPLE}`, level: 'write', slice: { [line.dimension]: [line.member] } }]
				},
				draftVersion: 0,
				layout: layouts[at % layouts.length]!,
				choices: { [line.dimension]: line.member },
				currency: at % 3 === 0 ? 'local' : 'EUR',
				revision: 0,
				structure: 0
			});
		};
		for (let at = 0; at < WARM_UP; at++) await open(at);
		const before = held();
		for (let at = 0; at < OPENS; at++) await open(at);
		const after = held();
		console.log(`memory: ${before.toFixed(1)} MB after ${WARM_UP} opens, ${after.toFixed(1)} MB after ${OPENS} more`);
		await answerOf(engine, 'close', {});
		return [measure('memory per 1,000 opens of forms by 200 people, MB (aim 1)', Math.max(0, after - before) / (OPENS / 1_000), 1, 1)];
	});
