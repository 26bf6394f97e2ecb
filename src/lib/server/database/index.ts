export { isDatabaseAway } from './away';
/** PostgreSQL: the pool, migrations, and statements by subject. Values travel only as `$n`. */
export { closePool, pool, transaction, type Database } from './pool';
