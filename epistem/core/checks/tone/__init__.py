"""Does the answer sound as it should?"""
