CREATE TABLE jobs (
  id         BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  kind       VARCHAR(30) NOT NULL COMMENT 'what is done; who can do it knows it by this name',
  about      LONGTEXT NOT NULL COMMENT 'JSON: what it is done with',
  digest     BINARY(32) NOT NULL COMMENT 'of kind and key: the same is not asked for twice',
  title      VARCHAR(200) NOT NULL COMMENT 'what people read',
  status     ENUM('waiting', 'running', 'done', 'failed', 'left') NOT NULL DEFAULT 'waiting',
  owner      VARCHAR(40) NULL COMMENT 'who has it in hand, proved by the lock of that name',
  attempts   INT UNSIGNED NOT NULL DEFAULT 0 COMMENT 'that came to nothing',
  why        TEXT NOT NULL COMMENT 'why the last of them did',
  done       INT UNSIGNED NOT NULL DEFAULT 0,
  total      INT UNSIGNED NOT NULL DEFAULT 0 COMMENT '0 where it is not counted',
  due_at     DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3) COMMENT 'not taken up before',
  created_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  ended_at   DATETIME(3) NULL,
  UNIQUE KEY one_each (digest),
  KEY to_take_up (status, due_at)
) DEFAULT CHARSET = utf8mb4 COLLATE = utf8mb4_bin COMMENT 'work that goes on behind the pages';
