ALTER TABLE models ADD COLUMN answered_at DATETIME(3) NULL COMMENT 'when it first answered at this address; null: never yet';
