import { checkRunbook, type AllocationStep, type Basis, type Step } from '../runbook';
import { buildModel, type MemberSketch } from './build-model';
import { RunbookWorld } from './runbook-world';

/** A small model in which costs are shared out, and words for what is done there. */
export const rate = (currency: string, value: number, to = '2028-12-31') => ({
	currency,
	kind: 'average' as const,
	from: '2026-01-01',
	to,
	value
});
export const costs: MemberSketch[] = [
	{ code: 'Costs' },
	...['Dues', 'Contra', 'Other'].map((code): MemberSketch => ({ code, parent: 'Costs', account: { kind: 'expense' } })),
	{ code: 'Income', parent: 'Costs', weight: -1, account: {} },
	...['Orders', 'Tickets', 'Visits', 'Hours'].map((code): MemberSketch => ({ code, account: { valueType: 'quantity', decimals: 0 } })),
	{ code: 'Revenue', account: {} },
	{ code: 'Wage', account: { valueType: 'price', consolidation: 'average', timeBehaviour: 'none' } },
	{
		code: 'Doubled',
		formula: (account) => ({ kind: 'binary', operator: '*', left: account('Orders'), right: { kind: 'number', value: 2 } }),
		perLeaf: {},
		account: { valueType: 'quantity', decimals: 0 }
	},
	{ code: 'Berths', account: { valueType: 'quantity', frequency: 'timeless' } },
	{ code: 'Target', account: { valueType: 'quantity', frequency: 'per year' } }
];
export const model = buildModel({
	accounts: costs,
	scenarios: [{ code: 'Plan', span: ['2026-04', '2028-03'] }],
	entities: [
		{ code: 'All' },
		{ code: 'Skerry', parent: 'All', currency: 'NOK' },
		{ code: 'Amber', parent: 'All', currency: 'EUR' },
		{ code: 'Coast', parent: 'All', currency: 'EUR' },
		{ code: 'Isle', parent: 'All', currency: 'GBP' }
	],
	general: {
		Object: [
			{ code: 'Pool' },
			{ code: 'Few' },
			{ code: 'A', parent: 'Few' },
			{ code: 'B', parent: 'Few' },
			{ code: 'C', parent: 'Few' },
			{ code: 'Channels' },
			{ code: 'Web', parent: 'Channels' },
			{ code: 'Pier', parent: 'Channels' },
			{ code: 'Net' },
			{ code: 'More', parent: 'Net' },
			{ code: 'Minus', parent: 'Net', weight: -1 },
			...['M1', 'M2', 'M3', 'M4', 'M5', 'M6', 'M7'].map((code) => ({ code, parent: 'More' }))
		],
		Channel: [{ code: 'None', unassigned: true }, { code: 'X' }, { code: 'Y' }, { code: 'Z' }]
	},
	rates: [rate('NOK', 10, '2027-06-30'), rate('GBP', 0.8)]
});
export const dimension = (code: string) => model.definition.dimensions.find((each) => each.code === code)!;
export const id = (of: string, code: string) => dimension(of).members.find((each) => each.code === code)!.id;
export const slice = (named: Record<string, string[]>) =>
	Object.fromEntries(
		Object.entries(named).map(([of, codes]) => [dimension(of).id, { kind: 'these' as const, members: codes.map((code) => id(of, code)) }])
	);
export const driver = (account: string, at: Record<string, string> = {}) => ({
	account: id('account', account),
	at: Object.fromEntries(Object.entries(at).map(([of, code]) => [dimension(of).id, id(of, code)]))
});
export const by = (account: string, at: Record<string, string> = {}, more: { atNamed?: boolean } = {}): Basis => ({
	by: 'driver',
	drivers: [driver(account, at)],
	...more
});
export type Line = { name?: string; pool?: Record<string, string[]>; receivers: Record<string, string[]>; basis?: Basis; share?: number };
export const share = (lines: Line[], more: Partial<AllocationStep> = {}, step = 1): Step =>
	({
		id: step,
		name: `Share ${step}`,
		description: '',
		active: true,
		limits: {},
		kind: 'allocation',
		lines: lines.map(({ name, pool = {}, receivers, basis = { by: 'even' }, share: part = 100 }, at) => ({
			name: name ?? `Line ${at + 1}`,
			pool: slice({ account: ['Dues'], Object: ['Pool'], ...pool }),
			receivers: slice(receivers),
			basis,
			share: part
		})),
		contra: 'same account',
		noDriver: 'stranded',
		negative: 'refuse',
		currency: null,
		...more
	}) as Step;
export const at = (object: string, account = 'Dues', { entity = 'Amber', channel = 'None' } = {}) => [
	account,
	'Plan',
	entity,
	object,
	channel
];
/** A world with amounts of April 2026, or of the period that is named. */
export function world(cells: [codes: string[], value: number, period?: string][]): RunbookWorld {
	const made = new RunbookWorld(model);
	for (const [codes, value, period] of cells) made.write(2, codes, period ?? '2026-04', value);
	return made;
}
export const run = (of: RunbookWorld, ...steps: Step[]) => of.run({ id: 1, steps });
export const shown = (of: RunbookWorld, objects: string[], account = 'Dues', period = '2026-04') =>
	objects.map((object) => of.read(at(object, account), period));
export const tie = ({ log }: ReturnType<typeof run>, step = 0) => {
	const rows = log[step]!.proof!.rows;
	for (const row of rows)
		if (Math.abs(row.in - row.out - row.kept - row.stranded) > 1e-6) throw new Error(`${row.line} does not tie: ${JSON.stringify(row)}`);
	const sum = (of: 'in' | 'out' | 'kept' | 'stranded') => Math.round(rows.reduce((all, row) => all + row[of], 0) * 1e6) / 1e6;
	return { in: sum('in'), out: sum('out'), kept: sum('kept'), stranded: sum('stranded') };
};
export const faults = (step: Step, severity = 'error') =>
	checkRunbook(model, [step], [])
		.filter((found) => found.severity === severity)
		.map(({ message }) => message);
/** Fixed shares of objects. */
export const to = (codes: Record<string, number>): Basis => ({
	by: 'fixed',
	shares: Object.entries(codes).map(([code, part]) => ({ members: { [dimension('Object').id]: id('Object', code) }, share: part }))
});
