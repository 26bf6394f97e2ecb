import { describe, expect, test } from 'vitest';
import { alignBlock } from './paste-block';

const rows = { labels: ['Revenue', 'Repairs', 'Fuel', 'Repairs'], first: 1 };
const columns = { labels: ['Apr 2027', 'May 2027', 'Jun 2027'], first: 1 };
const at = (block: string[][]) => alignBlock(block, rows, columns);
const places = (block: string[][]) => at(block).cells.map(({ down, across, text }) => `${down} ${across} ${text}`);

describe('a pasted block', () => {
	test('goes from the first cell on', () =>
		expect(
			places([
				['1', '2'],
				['3', '4']
			])
		).toEqual(['1 1 1', '1 2 2', '2 1 3', '2 2 4']));
	test('loses what lies beyond the form, and says how much', () => {
		const { cells, lost } = at([['1', '2', '3', '']]);
		expect(cells).toHaveLength(2);
		expect(lost).toEqual([{ row: 'Repairs', column: '', text: '3' }]);
	});
	test('with names of rows and columns goes where they say', () =>
		expect(
			places([
				['', 'Jun 2027', 'Apr 2027'],
				['Fuel', '5', '6'],
				['Revenue', '7', '8']
			])
		).toEqual(['2 2 5', '2 0 6', '0 2 7', '0 0 8']));
	test('with names of columns only keeps its rows from the first cell on', () =>
		expect(
			places([
				['Jun 2027', 'Apr 2027'],
				['5', '6']
			])
		).toEqual(['1 2 5', '1 0 6']));
	test('takes rows of the same name one after the other', () =>
		expect(
			places([
				['Repairs', '1'],
				['Repairs', '2']
			])
		).toEqual(['1 1 1', '3 1 2']));
	test('counts lines that the form does not have as lost', () =>
		expect(
			at([
				['Fuel', '1'],
				['Revenue', '3'],
				['Interest', '2']
			])
		).toMatchObject({ lost: [{ row: 'Interest', column: 'May 2027', text: '2' }], names: 'rows' }));
	test('with a title above its names is not shifted by it', () => {
		const block = [
			['Repairs of the year', '', ''],
			['', '', ''],
			['', 'Jun 2027', 'Apr 2027'],
			['Fuel', '5', '6']
		];
		expect(places(block)).toEqual(['2 2 5', '2 0 6']);
		expect(at(block)).toMatchObject({ names: 'rows and columns', titles: 2 });
		expect(
			at([
				['1', '2'],
				['Jun 2027', 'Apr 2027']
			])
		).toMatchObject({ names: 'none', titles: 0 });
	});
});
