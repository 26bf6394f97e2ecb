import { readFileSync } from 'node:fs';
import { describe, expect, test } from 'vitest';

const css = readFileSync('src/app.css', 'utf8');

/** The colours of a theme as written in app.css. */
function theme(name: string): Record<string, string> {
	const block = css.split("@plugin 'daisyui/theme'").find((part) => part.includes(`name: '${name}'`))!;
	return Object.fromEntries([...block.matchAll(/--([\w-]+):\s*(#[0-9a-f]{6})/gi)].map((match) => [match[1]!, match[2]!]));
}

/** Relative luminance and contrast as defined by WCAG 2.2. */
function contrast(one: string, other: string): number {
	const luminance = (colour: string) => {
		const [red = 0, green = 0, blue = 0] = [1, 3, 5].map((at) => {
			const channel = Number.parseInt(colour.slice(at, at + 2), 16) / 255;
			return channel <= 0.04045 ? channel / 12.92 : ((channel + 0.055) / 1.055) ** 2.4;
		});
		return 0.2126 * red + 0.7152 * green + 0.0722 * blue;
	};
	const [light, dark] = [luminance(one), luminance(other)].sort((a, b) => b - a);
	return (light! + 0.05) / (dark! + 0.05);
}

/** What eyes without one kind of cones see of linear colours. Source: Machado, Oliveira, Fernandes (2009), severity 1. */
const EYES: Record<string, number[]> = {
	'all cones': [1, 0, 0, 0, 1, 0, 0, 0, 1],
	'no long cones': [0.152286, 1.052583, -0.204868, 0.114503, 0.786281, 0.099216, -0.003882, -0.048116, 1.051998],
	'no middle cones': [0.367322, 0.860646, -0.227968, 0.280085, 0.672501, 0.047413, -0.01182, 0.04294, 0.968881],
	'no short cones': [1.255528, -0.076749, -0.178779, -0.078411, 0.930809, 0.147602, 0.004733, 0.691367, 0.3039]
};

/** How far apart two colours are for some eyes: the distance in CIELAB (CIE 1976, white D65). */
function distance(one: string, other: string, eyes: readonly number[]): number {
	const lab = (colour: string) => {
		const linear = [1, 3, 5].map((at) => {
			const channel = Number.parseInt(colour.slice(at, at + 2), 16) / 255;
			return channel <= 0.04045 ? channel / 12.92 : ((channel + 0.055) / 1.055) ** 2.4;
		});
		const [red, green, blue] = [0, 3, 6].map((row) =>
			Math.min(
				1,
				Math.max(
					0,
					linear.reduce((sum, value, at) => sum + eyes[row + at]! * value, 0)
				)
			)
		) as [number, number, number];
		const bent = (share: number) => (share > 0.008856 ? Math.cbrt(share) : 7.787 * share + 16 / 116);
		const x = bent((0.4124564 * red + 0.3575761 * green + 0.1804375 * blue) / 0.95047);
		const y = bent(0.2126729 * red + 0.7151522 * green + 0.072175 * blue);
		const z = bent((0.0193339 * red + 0.119192 * green + 0.9503041 * blue) / 1.08883);
		return [116 * y - 16, 500 * (x - y), 200 * (y - z)];
	};
	const [from, to] = [lab(one), lab(other)];
	return Math.hypot(...from.map((value, at) => value - to[at]!));
}

const TEXT = [
	'color-base-content',
	'soft',
	'grey',
	'color-primary',
	'color-secondary',
	'color-accent',
	'color-success',
	'color-warning',
	'color-error'
];

describe.each([
	['paper', ['color-base-100', 'color-base-200', 'raised']],
	['night', ['color-base-100', 'color-base-200', 'color-base-300']]
])('the theme %s', (name, grounds) => {
	const colours = theme(name);
	test.each(grounds.flatMap((ground) => TEXT.map((text) => [text, ground])))('%s on %s can be read', (text, ground) =>
		expect(contrast(colours[text!]!, colours[ground!]!)).toBeGreaterThanOrEqual(4.5)
	);
	test.each(grounds)('marks can be seen on %s', (ground) => expect(contrast(colours.mark!, colours[ground]!)).toBeGreaterThanOrEqual(3));
	const series = Array.from({ length: 6 }, (_, at) => `chart-${at + 1}`);
	test.each(series)('%s of charts can be seen on the page', (each) =>
		expect(contrast(colours[each]!, colours['color-base-100']!)).toBeGreaterThanOrEqual(3)
	);
	test.each(Object.keys(EYES))('series of charts are told apart with %s', (eyes) => {
		for (const [at, one] of series.entries())
			for (const other of series.slice(at + 1))
				expect(distance(colours[one]!, colours[other]!, EYES[eyes]!), `${one} and ${other}`).toBeGreaterThan(20);
		// What is held against a single series stands in the colour of marks.
		expect(distance(colours['chart-1']!, colours.mark!, EYES[eyes]!)).toBeGreaterThan(15);
	});
	test('text on filled buttons can be read', () =>
		expect(contrast(colours['color-primary-content']!, colours['color-primary']!)).toBeGreaterThanOrEqual(4.5));
});
