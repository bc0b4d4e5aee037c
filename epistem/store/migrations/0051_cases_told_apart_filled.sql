DO 'what cases of before ask is filled in by store.migrate';
