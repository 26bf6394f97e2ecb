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
	test('text on filled buttons can be read', () =>
		expect(contrast(colours['color-primary-content']!, colours['color-primary']!)).toBeGreaterThanOrEqual(4.5));
});
