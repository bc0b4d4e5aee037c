"""Cases varied in what must not matter: by plain rules that anybody can read, the same every time."""
