ALTER TABLE pauses
  ADD COLUMN kind VARCHAR(6) NOT NULL DEFAULT 'word' COMMENT 'word: something is to be approved; talk: words of the person are waited for';
