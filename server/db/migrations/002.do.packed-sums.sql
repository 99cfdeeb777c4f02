-- What the ledger computes with is kept in packed columns, what people read line by line in rows.

-- Exact sums of a bill by charge key, in the order of the keys, some keys a part.
CREATE TABLE bill_sums (
  bill_id INT UNSIGNED NOT NULL,
  part SMALLINT UNSIGNED NOT NULL,
  packed LONGBLOB NOT NULL,
  PRIMARY KEY (bill_id, part)
);

-- What became of each key of a run, in the order of kind, target and key.
CREATE TABLE run_outcomes (
  run_id INT UNSIGNED NOT NULL,
  part SMALLINT UNSIGNED NOT NULL,
  packed LONGBLOB NOT NULL,
  PRIMARY KEY (run_id, part)
);

-- A bill knows few charge periods, however many lines it has.
CREATE TABLE charge_periods (
  id INT UNSIGNED AUTO_INCREMENT PRIMARY KEY,
  starts_at DATETIME NOT NULL,
  ends_at DATETIME NOT NULL,
  UNIQUE KEY (starts_at, ends_at)
);

INSERT INTO charge_periods (starts_at, ends_at) SELECT DISTINCT starts_at, ends_at FROM charges ORDER BY starts_at, ends_at;

CREATE TABLE narrow_charges (
  bill_id INT UNSIGNED NOT NULL,
  key_id INT UNSIGNED NOT NULL,
  line INT UNSIGNED NOT NULL,
  detail_id INT UNSIGNED NOT NULL,
  period_id INT UNSIGNED NOT NULL,
  list_cost DECIMAL(22, 10) NOT NULL,
  contracted_cost DECIMAL(22, 10) NOT NULL,
  billed_cost DECIMAL(22, 10) NOT NULL,
  effective_cost DECIMAL(22, 10) NOT NULL,
  pricing_quantity DECIMAL(22, 10) NULL,
  consumed_quantity DECIMAL(22, 10) NULL,
  commitment_quantity DECIMAL(22, 10) NULL,
  PRIMARY KEY (bill_id, key_id, line)
);

INSERT INTO narrow_charges
  SELECT c.bill_id, c.key_id, c.line, c.detail_id, p.id, c.list_cost, c.contracted_cost, c.billed_cost, c.effective_cost, c.pricing_quantity, c.consumed_quantity, c.commitment_quantity
  FROM charges c JOIN charge_periods p ON p.starts_at = c.starts_at AND p.ends_at = c.ends_at;

DROP TABLE charges;
RENAME TABLE narrow_charges TO charges;
