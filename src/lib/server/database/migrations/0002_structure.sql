-- What a model is: dimensions and hierarchies, calendar, currencies, accounts, entities, scenarios, formulas.
CREATE TABLE currency (
	code text PRIMARY KEY CHECK (code ~ '^[A-Z]{3}$'),
	decimals smallint NOT NULL DEFAULT 2
);

CREATE TABLE calendar (
	id integer GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
	name text NOT NULL UNIQUE,
	grain text NOT NULL CHECK (grain = 'month'),
	fiscal_start_month smallint NOT NULL CHECK (fiscal_start_month BETWEEN 1 AND 12),
	named_by text NOT NULL CHECK (named_by IN ('first year', 'last year')),
	first_year smallint NOT NULL,
	years smallint NOT NULL CHECK (years > 0),
	levels text[] NOT NULL
);

CREATE TABLE dimension (
	id integer GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
	code text NOT NULL UNIQUE,
	name text NOT NULL,
	kind text NOT NULL CHECK (kind IN ('account', 'period', 'scenario', 'entity', 'general')),
	calendar_id integer REFERENCES calendar,
	CHECK ((kind = 'period') = (calendar_id IS NOT NULL))
);

CREATE TABLE member (
	id integer GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
	dimension_id integer NOT NULL REFERENCES dimension,
	code text NOT NULL,
	name text NOT NULL,
	unassigned boolean NOT NULL DEFAULT false,
	UNIQUE (dimension_id, code),
	UNIQUE (id, dimension_id)
);
CREATE UNIQUE INDEX member_one_unassigned ON member (dimension_id) WHERE unassigned;

CREATE TABLE hierarchy (
	id integer GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
	dimension_id integer NOT NULL REFERENCES dimension,
	name text NOT NULL,
	main boolean NOT NULL,
	UNIQUE (dimension_id, name),
	UNIQUE (id, dimension_id)
);
CREATE UNIQUE INDEX hierarchy_one_main ON hierarchy (dimension_id) WHERE main;

-- A node is a member within one hierarchy; its dimension is repeated so that both ends belong to the same one.
CREATE TABLE hierarchy_node (
	hierarchy_id integer NOT NULL,
	member_id integer NOT NULL,
	dimension_id integer NOT NULL,
	parent_id integer,
	weight smallint NOT NULL DEFAULT 1 CHECK (weight IN (-1, 0, 1)),
	position integer NOT NULL,
	PRIMARY KEY (hierarchy_id, member_id),
	FOREIGN KEY (hierarchy_id, dimension_id) REFERENCES hierarchy (id, dimension_id),
	FOREIGN KEY (member_id, dimension_id) REFERENCES member (id, dimension_id),
	FOREIGN KEY (hierarchy_id, parent_id) REFERENCES hierarchy_node (hierarchy_id, member_id),
	CHECK (parent_id <> member_id)
);
CREATE INDEX hierarchy_node_parent ON hierarchy_node (hierarchy_id, parent_id);

CREATE TABLE period (
	member_id integer PRIMARY KEY REFERENCES member ON DELETE CASCADE,
	level text NOT NULL CHECK (level IN ('year', 'half', 'quarter', 'month')),
	start_date date NOT NULL,
	end_date date NOT NULL,
	fiscal_year smallint NOT NULL,
	CHECK (start_date <= end_date)
);

CREATE TABLE account (
	member_id integer PRIMARY KEY REFERENCES member ON DELETE CASCADE,
	kind text NOT NULL CHECK (kind IN ('revenue', 'expense', 'asset', 'liability', 'equity', 'statistic', 'rate')),
	value_type text NOT NULL CHECK (value_type IN ('money', 'quantity', 'percent', 'price')),
	time_behaviour text NOT NULL CHECK (time_behaviour IN ('flow', 'closing', 'opening', 'average', 'none')),
	consolidation text NOT NULL CHECK (consolidation IN ('sum', 'formula', 'none')),
	decimals smallint NOT NULL DEFAULT 2 CHECK (decimals BETWEEN 0 AND 6),
	unit text
);

CREATE TABLE entity (
	member_id integer PRIMARY KEY REFERENCES member ON DELETE CASCADE,
	currency text NOT NULL REFERENCES currency,
	owner_id integer REFERENCES person
);

CREATE TABLE rate_set (
	id integer GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
	name text NOT NULL UNIQUE,
	pivot text NOT NULL REFERENCES currency
);
CREATE TABLE rate (
	rate_set_id integer NOT NULL REFERENCES rate_set ON DELETE CASCADE,
	currency text NOT NULL REFERENCES currency,
	kind text NOT NULL CHECK (kind IN ('average', 'closing')),
	valid_from date NOT NULL,
	valid_to date NOT NULL,
	value double precision NOT NULL CHECK (value > 0),
	PRIMARY KEY (rate_set_id, currency, kind, valid_from),
	CHECK (valid_from <= valid_to)
);

CREATE TABLE scenario (
	member_id integer PRIMARY KEY REFERENCES member ON DELETE CASCADE,
	span_from integer NOT NULL REFERENCES period,
	span_to integer NOT NULL REFERENCES period,
	entry_from integer REFERENCES period,
	entry_to integer REFERENCES period,
	rate_set_id integer NOT NULL REFERENCES rate_set,
	continues_from integer REFERENCES scenario,
	compared_with integer REFERENCES scenario,
	CHECK ((entry_from IS NULL) = (entry_to IS NULL))
);

CREATE TABLE model (
	id integer GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
	code text NOT NULL UNIQUE,
	name text NOT NULL,
	reporting_currency text NOT NULL REFERENCES currency,
	revision bigint NOT NULL DEFAULT 0
);
CREATE TABLE model_dimension (
	model_id integer NOT NULL REFERENCES model ON DELETE CASCADE,
	dimension_id integer NOT NULL REFERENCES dimension,
	position smallint NOT NULL,
	PRIMARY KEY (model_id, dimension_id),
	UNIQUE (model_id, position)
);
CREATE TABLE model_currency (
	model_id integer NOT NULL REFERENCES model ON DELETE CASCADE,
	currency text NOT NULL REFERENCES currency,
	position smallint NOT NULL,
	PRIMARY KEY (model_id, currency)
);

-- The expression is a typed tree with member ids, so that renames never break it.
CREATE TABLE formula (
	model_id integer NOT NULL REFERENCES model ON DELETE CASCADE,
	account_id integer NOT NULL REFERENCES account,
	timing text NOT NULL CHECK (timing = 'after totals'),
	expression jsonb NOT NULL,
	PRIMARY KEY (model_id, account_id)
);
