"""Invented names for the made-up center; given and family names are put together by a seeded choice."""

GIVEN = (
    "Beatriz Tomasz Hana Cedric Ines Annika Samir Tomoko Lena Marek Odile Rasmus Paloma Yusuf Greta Ivo Nadia Callum "
    "Mireille Anders Zofia Dmitri Leila Oscar Freya Hugo Imani Jonas Katya Lucien Maren Niko Orla Piotr Quentin Rosa "
    "Stellan Tamsin Ulla Viktor"
).split()

FAMILY = (
    "Amaro Wilk Sugimoto Obi Calloway Vesterberg Iqbal Nakagawa Fontaine Marchetti Lindqvist Oyelaran Hallam Brandt "
    "Quayle Petrov Ferrante Dunmore Sorensen Achebe Delacroix Novak Tanaka Whitlock Reyes Holm Castellan Ivers Moreau "
    "Ndiaye Pereira Rasch Stroud Thackeray Umber Vance Wexford Yarrow Zeller Ashdown Birch Corrigan"
).split()
