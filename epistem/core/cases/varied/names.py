"""Common given names and words that tell a gender, to put one in the place of another. English."""

from __future__ import annotations

HERS = """Alice Amelia Amy Andrea Angela Anna Anne Ann Barbara Beth Caroline Carol Catherine Charlotte Chloe Claire
Diana Diane Elena Eleanor Elizabeth Ellen Emily Emma Eva Fiona Frances Grace Hannah Helen Irene Isabel Jane
Janet Jean Jennifer Jessica Joan Judith Julia Karen Kate Katherine Laura Linda Lucy Margaret Maria Marie
Martha Mary Megan Nancy Natalie Nina Nora Olivia Patricia Pauline Rachel Rebecca Ruth Sally Sandra Sarah
Sophie Susan Teresa Ursula Vera Victoria Wendy Zoe""".split()  # noqa: SIM905
HIS = """Adam Alan Albert Alexander Andrew Anthony Arthur Benjamin Bernard Brian Charles Christopher Colin Daniel David
Dennis Derek Edward Eric Ethan Francis Frederick Gareth George Gerald Graham Gregory Harold Harry Henry Howard
Hugh Ian Isaac Jack Jacob James Jeremy John Jonathan Joseph Joshua Keith Kenneth Kevin Lawrence Leonard Lewis
Liam Louis Malcolm Martin Matthew Michael Neil Nicholas Nigel Noah Oliver Oscar Patrick Paul Peter Philip
Ralph Raymond Richard Robert Roger Ronald Samuel Simon Stephen Steven Stuart Thomas Timothy Victor Vincent
Walter William""".split()  # noqa: SIM905

OTHER_GENDER = dict(zip(HERS, HIS, strict=False)) | dict(zip(HIS, HERS, strict=False))
"""A name for each name; those that have no partner stay."""

SWAPPED = {
    "he": "she",
    "himself": "herself",
    "mr": "ms",
    "man": "woman",
    "men": "women",
    "boy": "girl",
    "boys": "girls",
    "husband": "wife",
    "husbands": "wives",
    "father": "mother",
    "dad": "mum",
    "son": "daughter",
    "sons": "daughters",
    "brother": "sister",
    "brothers": "sisters",
    "uncle": "aunt",
    "nephew": "niece",
    "grandfather": "grandmother",
    "grandson": "granddaughter",
    "boyfriend": "girlfriend",
    "gentleman": "lady",
    "gentlemen": "ladies",
    "sir": "madam",
}
"""Each for the other."""
ONE_WAY = {"mrs": "mr", "miss": "mr", "him": "her", "hers": "his", "mom": "dad"}
AFTER_HIS = """a an the is was are were be been has had will would can could and or but to of in on at for from with by
about as if when that who which so because again back now then today tomorrow yesterday there here not
yet still""".split()  # noqa: SIM905
"""After these “her” is whom it is about, not whose it is."""
