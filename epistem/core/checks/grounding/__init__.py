"""Is the answer borne out by what it was given?"""
