import type { Model } from '../model';
import { buildModel } from './build-model';

/**
 * Litres by a price that lies elsewhere (on the route `none`), and a margin that follows from it: accounts litres, price,
 * fuel, margin in this order, one scenario, routes r1 to r3 and none under all.
 * @param factor what the litres are taken times
 */
export const fuelledModel = (factor?: number): Model =>
	buildModel({
		accounts: [
			{ code: 'litres', account: { valueType: 'quantity' } },
			{ code: 'price', account: { valueType: 'price', timeBehaviour: 'none', consolidation: 'none' } },
			{
				code: 'fuel',
				account: {},
				perLeaf: {},
				formula: (account) => ({
					kind: 'binary',
					operator: '*',
					left:
						factor === undefined
							? account('litres')
							: { kind: 'binary', operator: '*', left: account('litres'), right: { kind: 'number', value: factor } },
					right: account('price', { route: 'none' })
				})
			},
			{
				code: 'margin',
				account: {},
				perLeaf: {},
				formula: (account) => ({ kind: 'negative', of: account('fuel') })
			}
		],
		scenarios: [{ code: 'plan' }],
		general: { route: [{ code: 'all' }, ...['r1', 'r2', 'r3', 'none'].map((code) => ({ code, parent: 'all' }))] }
	});
