/** Arrays of numbers as they are stored: serialized and deflated. Only for what this application has written itself. */
import { deserialize, serialize } from 'node:v8';
import { promisify } from 'node:util';
import { deflate, inflate } from 'node:zlib';

const squeeze = promisify(deflate);
const unsqueeze = promisify(inflate);

export const pack = (value: unknown): Promise<Buffer> => squeeze(serialize(value));

export const unpack = async <Value>(packed: Buffer): Promise<Value> => deserialize(await unsqueeze(packed)) as Value;
