"""What a meeting wants: the headline, who moved it, what to do, and the picture that suits the answer."""

import logochron as lc

book = lc.demo.book()
bands = [
    lc.Band("behind", below=-0.03, verdict="adverse", advice="ring the harbor office"),
    lc.Band("on course", from_=-0.03, below=0.02, verdict="neutral"),
    lc.Band("ahead", from_=0.02, verdict="favorable", advice="add a lesson boat"),
]
asked = {"each": "month", "by": "harbor", "at": "2026-09", "measures": "revenue", "judging": lc.Judging(bands=bands)}
september = lc.compare(book, **asked)

for language in ("en", "de"):
    print(*lc.words.sentences(september, items=2, then="line", locale=language), sep="\n")
print(*lc.words.sentences(september, "{item}: {value} ({growth}), {share} of all; {band}", items=4), sep="\n")

lc.draw.captioned(september).savefig("september.png")
lc.draw.cards(september).savefig("cards.png")
moved = lc.drivers(book, each="month", by=["harbor", "line"], at="2026-09", measures="revenue")
lc.draw.figure(moved).savefig("why.png")
