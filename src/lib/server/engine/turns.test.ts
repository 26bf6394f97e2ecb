import { describe, expect, test } from 'vitest';
import { Turns } from './turns';

/** Something that ends when it is told to. */
function held() {
	let end = () => {};
	const ended = new Promise<void>((done) => (end = done));
	return { ended, end };
}
const settle = async () => {
	for (let turn = 0; turn < 20; turn++) await Promise.resolve();
};

describe('turns', () => {
	test('a person’s requests come one after another, also after one that fails; others do not wait for them', async () => {
		const [turns, order, first] = [new Turns(), [] as string[], held()];
		const failing = turns.of(1, async () => {
			order.push('one begins');
			await first.ended;
			throw new Error('no');
		});
		const second = turns.of(1, async () => void order.push('one again'));
		await turns.of(2, async () => void order.push('two'));
		expect(order).toEqual(['one begins', 'two']);
		first.end();
		await expect(failing).rejects.toThrow('no');
		await second;
		expect(order).toEqual(['one begins', 'two', 'one again']);
	});

	test('what comes alone waits for all that have begun, and all that come later wait for it', async () => {
		const [turns, order, entry, change] = [new Turns(), [] as string[], held(), held()];
		const entering = turns.of(1, async () => {
			await entry.ended;
			order.push('entered');
		});
		await settle();
		const changing = turns.alone(async () => {
			order.push('changes');
			await change.ended;
			order.push('changed');
		});
		const reading = turns.of(2, async () => void order.push('read'));
		const again = turns.alone(async () => void order.push('changed again'));
		await settle();
		expect(order).toEqual([]);
		entry.end();
		await entering;
		await settle();
		expect(order).toEqual(['entered', 'changes']);
		change.end();
		await Promise.all([changing, reading, again]);
		expect(order).toEqual(['entered', 'changes', 'changed', 'changed again', 'read']);
	});

	test('a failure alone keeps nobody waiting', async () => {
		const turns = new Turns();
		await expect(turns.alone(() => Promise.reject(new Error('away')))).rejects.toThrow('away');
		expect(await turns.of(1, async () => 'read')).toBe('read');
		expect(await turns.alone(async () => 'changed')).toBe('changed');
	});

	test('whatever comes in whatever order, nothing is beside what comes alone, and all ends', async () => {
		const turns = new Turns();
		let [inside, alone, most] = [0, 0, 0];
		await Promise.all(
			Array.from({ length: 300 }, (_, at) => {
				const pauses = (at * 7) % 5;
				if (at % 9 === 0)
					return turns.alone(async () => {
						alone++;
						for (let turn = 0; turn < pauses; turn++) {
							expect([inside, alone]).toEqual([0, 1]);
							await Promise.resolve();
						}
						alone--;
					});
				return turns.of(at % 4, async () => {
					most = Math.max(most, ++inside);
					for (let turn = 0; turn < pauses; turn++) {
						expect(alone).toBe(0);
						await Promise.resolve();
					}
					inside--;
				});
			})
		);
		expect(most).toBeGreaterThan(1);
	});
});
