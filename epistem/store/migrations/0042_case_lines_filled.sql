DO 'the lines of cases of before are filled in by store.migrate';
