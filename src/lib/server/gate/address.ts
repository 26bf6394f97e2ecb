import { BlockList, isIP } from 'node:net';

/**
 * The proxies that may say for whom they ask, from a list of addresses and ranges: “127.0.0.1, 10.0.0.0/8”.
 * @throws RangeError naming what is neither
 */
export function readProxies(list: string): BlockList {
	const proxies = new BlockList();
	for (const part of list.split(/[\s,]+/).filter(Boolean)) {
		const [address = '', bits] = part.split('/');
		const version = isIP(address);
		if (version === 0 || (bits !== undefined && !/^\d{1,3}$/.test(bits))) throw new RangeError(`“${part}” is no address of a proxy.`);
		const family = version === 4 ? 'ipv4' : 'ipv6';
		if (bits === undefined) proxies.addAddress(address, family);
		else proxies.addSubnet(address, Number(bits), family);
	}
	return proxies;
}

/** An address of the fourth version that is written in the sixth is the same. */
const plain = (address: string): string => address.trim().replace(/^::ffff:(?=\d+\.\d+\.\d+\.\d+$)/i, '');

/**
 * Whose request it is: the address it came from, or what known proxies say, read from the nearest one outwards and only as
 * far as they are known. What anybody else writes into the header is not believed.
 * @param forwarded the X-Forwarded-For header
 */
export function clientAddress(socket: string, forwarded: string | null, proxies: BlockList): string {
	const isKnown = (address: string) => {
		const version = isIP(address);
		return version !== 0 && proxies.check(address, version === 4 ? 'ipv4' : 'ipv6');
	};
	let address = plain(socket);
	for (const said of (forwarded ?? '').split(',').map(plain).reverse()) {
		if (!isKnown(address) || isIP(said) === 0) break;
		address = said;
	}
	return address;
}
