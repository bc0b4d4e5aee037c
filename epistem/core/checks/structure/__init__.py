"""Is the answer the right shape?"""
