"""Is the answer the one that was wanted?"""
