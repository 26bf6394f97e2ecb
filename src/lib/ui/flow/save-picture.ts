/** What a drawing looks like by its style sheet; in a file of its own it has none. */
const LOOKS = [
	'fill',
	'fill-opacity',
	'stroke',
	'stroke-opacity',
	'stroke-width',
	'font-family',
	'font-size',
	'font-weight',
	'text-anchor',
	'paint-order'
];
/** A file has not the fonts of the page, and those it gets are wider: names are so much smaller there. */
const SMALLER = 0.88;

/** A drawing as a file of its own: with all it looks like written into it, and without links. */
export function asDocument(drawing: SVGSVGElement): string {
	const copy = drawing.cloneNode(true) as SVGSVGElement;
	const [from, to] = [drawing, copy].map((root) => [root, ...root.querySelectorAll<SVGElement>('*')]) as [SVGElement[], SVGElement[]];
	from.forEach((element, place) => {
		const looks = getComputedStyle(element);
		for (const name of LOOKS) to[place]!.setAttribute(name, looks.getPropertyValue(name));
		to[place]!.setAttribute('font-size', `${parseFloat(looks.fontSize) * SMALLER}px`);
		to[place]!.removeAttribute('class');
		to[place]!.removeAttribute('href');
	});
	copy.setAttribute('xmlns', 'http://www.w3.org/2000/svg');
	const { width, height } = sizeOf(drawing);
	copy.setAttribute('viewBox', `0 0 ${width} ${height}`);
	copy.setAttribute('width', String(width));
	copy.setAttribute('height', String(height));
	const ground = document.createElementNS('http://www.w3.org/2000/svg', 'rect');
	ground.setAttribute('width', '100%');
	ground.setAttribute('height', '100%');
	ground.setAttribute('fill', getComputedStyle(drawing).getPropertyValue('--color-base-100'));
	copy.prepend(ground);
	return new XMLSerializer().serializeToString(copy);
}

function sizeOf(drawing: SVGSVGElement): { width: number; height: number } {
	const { width, height } = drawing.getBoundingClientRect();
	return { width: Math.ceil(width), height: Math.ceil(height) };
}

/** Saves a drawing as a file, as SVG or, twice as fine as the screen, as PNG. */
export async function savePicture(drawing: SVGSVGElement, name: string, as: 'svg' | 'png'): Promise<void> {
	const text = asDocument(drawing);
	const link = document.createElement('a');
	link.download = `${name}.${as}`;
	const address = `data:image/svg+xml;charset=utf-8,${encodeURIComponent(text)}`;
	if (as === 'svg') link.href = address;
	else {
		const image = new Image();
		image.src = address;
		await image.decode();
		const { width, height } = sizeOf(drawing);
		const canvas = document.createElement('canvas');
		canvas.width = width * 2;
		canvas.height = height * 2;
		canvas.getContext('2d')!.drawImage(image, 0, 0, canvas.width, canvas.height);
		link.href = canvas.toDataURL('image/png');
	}
	link.click();
}
