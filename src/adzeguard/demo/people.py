"""Made-up names of the people of Lowmere Ferries."""

from collections.abc import Iterator

GIVEN = ["Alva", "Bram", "Cato", "Dessa", "Edric", "Fenna", "Garrick", "Hedda", "Ivo", "Jorun", "Kestrel", "Lior", "Maren", "Nils", "Orla", "Pontus", "Quilla", "Roan", "Signe", "Tobin", "Ulla", "Varis", "Wenda", "Xanthe", "Yorick", "Zelda", "Anouk", "Birger", "Corin", "Dagny", "Elof", "Frida", "Gunnar", "Hollis", "Isolde", "Jory", "Katla", "Ludo", "Mira", "Njal"]
SURNAMES = ["Asker", "Brandvik", "Calder", "Dunmore", "Eskel", "Fenn", "Grell", "Holt", "Innis", "Jarrow", "Kvist", "Lune", "Morrow", "Norling", "Ostrey", "Pell", "Quist", "Reil", "Sool", "Tarn", "Ulven", "Varn", "Wick", "Yarrow", "Zander", "Ambry", "Beck", "Corvey", "Drake", "Elm", "Farrow", "Garth", "Hale", "Ingram", "Jessop", "Kell", "Lorne", "Marsh", "Nye", "Orrin"]


def full_names() -> Iterator[tuple[str, str]]:
    """Yield given name and surname, each pair once, in an order that looks drawn by lot."""
    for step in range(len(SURNAMES)):
        for place, given in enumerate(GIVEN):
            yield given, SURNAMES[(place * 7 + step * 11 + place // 8) % len(SURNAMES)]
