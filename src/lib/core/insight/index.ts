/**
 * What people look at: views that begin somewhere and are turned, and boards of tiles. Both are read as forms are, by
 * layouts made here. Everything is O(what is named).
 */
export { figureByName, type NamedMember } from './figure-by-name';
export { priceVolumeMix, type PriceVolumeMix, type Sold } from './price-volume-mix';
export { askedLayout, figureLayout, isViewCode, memberLayout, selectorOf, VIEW_PREFIX, type ViewAxis } from './start';
export {
	CHARTS,
	TILE_BLOCKS,
	TileFault,
	tileLayout,
	type Against,
	type BoardContent,
	type ChartKind,
	type Tile,
	type TileContext,
	type TileSource
} from './board';
export {
	childrenBeside,
	lookCloser,
	takeApart,
	valuesOf,
	type DifferencePart,
	type Contributions,
	type PlacedFigure,
	type Side
} from './taken-apart';
