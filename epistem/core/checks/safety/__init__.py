"""May the answer be let out?"""
