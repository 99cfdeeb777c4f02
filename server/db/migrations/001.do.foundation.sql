-- The order of the tables is the order of the way of the data: people, organisation, bills, rulebook, runs.

CREATE TABLE users (
  id INT UNSIGNED AUTO_INCREMENT PRIMARY KEY,
  login VARCHAR(64) NOT NULL UNIQUE,
  name VARCHAR(200) NOT NULL,
  role ENUM('accountant', 'controller', 'owner', 'administrator') NOT NULL,
  password_hash VARCHAR(200) NOT NULL
);

CREATE TABLE sessions (
  id VARCHAR(128) CHARACTER SET ascii COLLATE ascii_bin PRIMARY KEY,
  data LONGTEXT NOT NULL,
  expires_at DATETIME NOT NULL,
  KEY (expires_at)
);

CREATE TABLE audit (
  id BIGINT UNSIGNED AUTO_INCREMENT PRIMARY KEY,
  at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  user_name VARCHAR(200) NOT NULL,
  action VARCHAR(64) NOT NULL,
  subject VARCHAR(400) NOT NULL,
  detail LONGTEXT NOT NULL CHECK (JSON_VALID(detail))
);

CREATE TABLE settings (
  name VARCHAR(64) PRIMARY KEY,
  value TEXT NOT NULL
);

-- Organisation

CREATE TABLE business_units (
  code VARCHAR(32) COLLATE utf8mb4_bin PRIMARY KEY,
  name VARCHAR(200) NOT NULL,
  owner VARCHAR(200) NOT NULL
);

CREATE TABLE cost_centres (
  code VARCHAR(32) COLLATE utf8mb4_bin PRIMARY KEY,
  name VARCHAR(200) NOT NULL,
  unit VARCHAR(32) COLLATE utf8mb4_bin NOT NULL,
  owner VARCHAR(200) NOT NULL,
  ledger_account VARCHAR(64) NOT NULL,
  valid_from CHAR(7) CHARACTER SET ascii NULL,
  valid_to CHAR(7) CHARACTER SET ascii NULL,
  FOREIGN KEY (unit) REFERENCES business_units (code) ON UPDATE CASCADE,
  CHECK (valid_from IS NULL OR valid_to IS NULL OR valid_from <= valid_to)
);

CREATE TABLE user_centres (
  user_id INT UNSIGNED NOT NULL,
  cost_centre VARCHAR(32) COLLATE utf8mb4_bin NOT NULL,
  PRIMARY KEY (user_id, cost_centre),
  FOREIGN KEY (user_id) REFERENCES users (id) ON DELETE CASCADE,
  FOREIGN KEY (cost_centre) REFERENCES cost_centres (code) ON UPDATE CASCADE ON DELETE CASCADE
);

CREATE TABLE exchange_rates (
  month CHAR(7) CHARACTER SET ascii NOT NULL,
  currency CHAR(3) CHARACTER SET ascii NOT NULL,
  rate DECIMAL(20, 10) NOT NULL CHECK (rate > 0),
  PRIMARY KEY (month, currency)
);

CREATE TABLE periods (
  month CHAR(7) CHARACTER SET ascii PRIMARY KEY,
  state ENUM('open', 'review', 'closed') NOT NULL DEFAULT 'open'
);

-- Intake: a load is a file; it brings bills; a bill is what one billing account owes for one billing period.
-- Lines are written once under their bill and never changed: a restatement brings a new bill that takes the place of the old one.

CREATE TABLE loads (
  id INT UNSIGNED AUTO_INCREMENT PRIMARY KEY,
  file_name VARCHAR(400) NOT NULL,
  spool_file VARCHAR(400) NULL,
  file_hash CHAR(64) CHARACTER SET ascii NOT NULL DEFAULT '',
  file_bytes BIGINT UNSIGNED NOT NULL DEFAULT 0,
  user_name VARCHAR(200) NOT NULL,
  state ENUM('waiting', 'reading', 'confirming', 'taken', 'unchanged', 'refused', 'cancelled', 'failed') NOT NULL DEFAULT 'waiting',
  created_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  finished_at DATETIME(3) NULL,
  read_bytes BIGINT UNSIGNED NOT NULL DEFAULT 0,
  read_lines INT UNSIGNED NOT NULL DEFAULT 0,
  refused_lines INT UNSIGNED NOT NULL DEFAULT 0,
  seconds DECIMAL(12, 3) NOT NULL DEFAULT 0,
  cancel_asked BOOLEAN NOT NULL DEFAULT FALSE,
  heartbeat_at DATETIME(3) NULL,
  message TEXT NULL,
  report LONGTEXT NULL CHECK (report IS NULL OR JSON_VALID(report)),
  KEY (file_hash)
);

CREATE TABLE load_findings (
  load_id INT UNSIGNED NOT NULL,
  seq INT UNSIGNED NOT NULL,
  line INT UNSIGNED NOT NULL,
  rule VARCHAR(32) NOT NULL,
  column_name VARCHAR(200) NOT NULL,
  value VARCHAR(400) NOT NULL,
  reason VARCHAR(400) NOT NULL,
  PRIMARY KEY (load_id, seq),
  FOREIGN KEY (load_id) REFERENCES loads (id) ON DELETE CASCADE
);

CREATE TABLE column_maps (
  provider VARCHAR(200) NOT NULL,
  source_column VARCHAR(200) COLLATE utf8mb4_bin NOT NULL,
  target_column VARCHAR(64) NOT NULL,
  PRIMARY KEY (provider, source_column)
);

CREATE TABLE bills (
  id INT UNSIGNED AUTO_INCREMENT PRIMARY KEY,
  load_id INT UNSIGNED NOT NULL,
  provider VARCHAR(200) COLLATE utf8mb4_bin NOT NULL,
  billing_account VARCHAR(200) COLLATE utf8mb4_bin NOT NULL,
  month CHAR(7) CHARACTER SET ascii NOT NULL,
  state ENUM('arriving', 'current', 'replaced') NOT NULL DEFAULT 'arriving',
  -- at most one current bill of an account and month
  is_current TINYINT AS (IF(state = 'current', 1, NULL)) PERSISTENT,
  taken_at DATETIME(3) NULL,
  restates INT UNSIGNED NULL,
  UNIQUE KEY (provider, billing_account, month, is_current),
  KEY (month, state),
  FOREIGN KEY (load_id) REFERENCES loads (id) ON DELETE CASCADE
);

CREATE TABLE charge_keys (
  id INT UNSIGNED AUTO_INCREMENT PRIMARY KEY,
  hash BINARY(16) NOT NULL UNIQUE,
  attributes LONGTEXT NOT NULL CHECK (JSON_VALID(attributes)),
  provider VARCHAR(200) COLLATE utf8mb4_bin NOT NULL,
  currency CHAR(3) CHARACTER SET ascii NOT NULL,
  service VARCHAR(200) COLLATE utf8mb4_bin NOT NULL,
  resource_id VARCHAR(400) COLLATE utf8mb4_bin NOT NULL
);

CREATE TABLE charge_details (
  id INT UNSIGNED AUTO_INCREMENT PRIMARY KEY,
  hash BINARY(16) NOT NULL UNIQUE,
  details LONGTEXT NOT NULL CHECK (JSON_VALID(details))
);

-- In the order in which figures open: the lines of a key within a bill lie together.
CREATE TABLE charges (
  bill_id INT UNSIGNED NOT NULL,
  key_id INT UNSIGNED NOT NULL,
  line INT UNSIGNED NOT NULL,
  detail_id INT UNSIGNED NOT NULL,
  starts_at DATETIME NOT NULL,
  ends_at DATETIME NOT NULL,
  list_cost DECIMAL(22, 10) NOT NULL,
  contracted_cost DECIMAL(22, 10) NOT NULL,
  billed_cost DECIMAL(22, 10) NOT NULL,
  effective_cost DECIMAL(22, 10) NOT NULL,
  pricing_quantity DECIMAL(28, 10) NULL,
  consumed_quantity DECIMAL(28, 10) NULL,
  commitment_quantity DECIMAL(28, 10) NULL,
  PRIMARY KEY (bill_id, key_id, line)
);

-- Exact sums of a bill's lines, written with them: by key, and by day. Currencies are never added to one another.
CREATE TABLE bill_keys (
  bill_id INT UNSIGNED NOT NULL,
  key_id INT UNSIGNED NOT NULL,
  line_count INT UNSIGNED NOT NULL,
  list_cost DECIMAL(22, 10) NOT NULL,
  contracted_cost DECIMAL(22, 10) NOT NULL,
  billed_cost DECIMAL(22, 10) NOT NULL,
  effective_cost DECIMAL(22, 10) NOT NULL,
  PRIMARY KEY (bill_id, key_id)
);

CREATE TABLE bill_days (
  bill_id INT UNSIGNED NOT NULL,
  day DATE NOT NULL,
  service VARCHAR(200) COLLATE utf8mb4_bin NOT NULL,
  currency CHAR(3) CHARACTER SET ascii NOT NULL,
  line_count INT UNSIGNED NOT NULL,
  list_cost DECIMAL(22, 10) NOT NULL,
  contracted_cost DECIMAL(22, 10) NOT NULL,
  billed_cost DECIMAL(22, 10) NOT NULL,
  effective_cost DECIMAL(22, 10) NOT NULL,
  PRIMARY KEY (bill_id, day, service, currency)
);

-- Rulebook: one draft that people edit, versions that never change.

CREATE TABLE rulebook_draft (
  id TINYINT UNSIGNED PRIMARY KEY CHECK (id = 1),
  revision INT UNSIGNED NOT NULL,
  document LONGTEXT NOT NULL CHECK (JSON_VALID(document)),
  changed_by VARCHAR(200) NOT NULL,
  changed_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3)
);

CREATE TABLE rulebook_versions (
  version INT UNSIGNED PRIMARY KEY,
  document LONGTEXT NOT NULL CHECK (JSON_VALID(document)),
  author VARCHAR(200) NOT NULL,
  note VARCHAR(1000) NOT NULL,
  published_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3)
);

-- Allocation: the latest run of a month stands; former runs stay.

CREATE TABLE runs (
  id INT UNSIGNED AUTO_INCREMENT PRIMARY KEY,
  month CHAR(7) CHARACTER SET ascii NOT NULL,
  rulebook_version INT UNSIGNED NOT NULL,
  -- what the run depended on: bills, rulebook, organisation, rates
  input_hash CHAR(64) CHARACTER SET ascii NOT NULL,
  result_hash CHAR(64) CHARACTER SET ascii NOT NULL DEFAULT '',
  state ENUM('running', 'done') NOT NULL DEFAULT 'running',
  user_name VARCHAR(200) NOT NULL,
  created_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  problems LONGTEXT NOT NULL CHECK (JSON_VALID(problems)),
  KEY (month, state, id),
  FOREIGN KEY (rulebook_version) REFERENCES rulebook_versions (version)
);

CREATE TABLE run_keys (
  run_id INT UNSIGNED NOT NULL,
  kind ENUM('direct', 'pool', 'unassigned') NOT NULL,
  target VARCHAR(32) COLLATE utf8mb4_bin NOT NULL,
  key_id INT UNSIGNED NOT NULL,
  -- index into the rules of the version; -1 where no rule took the key
  rule INT NOT NULL,
  line_count INT UNSIGNED NOT NULL,
  billed_cost DECIMAL(22, 10) NOT NULL,
  effective_cost DECIMAL(22, 10) NOT NULL,
  PRIMARY KEY (run_id, kind, target, key_id)
);

CREATE TABLE run_cells (
  run_id INT UNSIGNED NOT NULL,
  provider VARCHAR(200) COLLATE utf8mb4_bin NOT NULL,
  currency CHAR(3) CHARACTER SET ascii NOT NULL,
  cost_centre VARCHAR(32) COLLATE utf8mb4_bin NOT NULL,
  kind ENUM('direct', 'pool', 'held', 'unassigned') NOT NULL,
  line VARCHAR(200) COLLATE utf8mb4_bin NOT NULL,
  billed_cost DECIMAL(22, 10) NOT NULL,
  effective_cost DECIMAL(22, 10) NOT NULL,
  PRIMARY KEY (run_id, kind, cost_centre, provider, currency, line)
);

CREATE TABLE run_weights (
  run_id INT UNSIGNED NOT NULL,
  pool VARCHAR(32) COLLATE utf8mb4_bin NOT NULL,
  cost_centre VARCHAR(32) COLLATE utf8mb4_bin NOT NULL,
  -- exact, in the unit of the pool's base
  weight DECIMAL(50, 20) NOT NULL,
  base DECIMAL(50, 20) NOT NULL,
  PRIMARY KEY (run_id, pool, cost_centre)
);

-- The bills that the run read: its figures open to their lines, also after a bill was replaced.
CREATE TABLE run_bills (
  run_id INT UNSIGNED NOT NULL,
  bill_id INT UNSIGNED NOT NULL,
  PRIMARY KEY (run_id, bill_id)
);

-- The rates that the run converted with.
CREATE TABLE run_rates (
  run_id INT UNSIGNED NOT NULL,
  currency CHAR(3) CHARACTER SET ascii NOT NULL,
  rate DECIMAL(20, 10) NOT NULL,
  PRIMARY KEY (run_id, currency)
);
