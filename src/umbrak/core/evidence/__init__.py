"""What a plan rests on that no rule settles, and how far to believe it.

claims   what of a layout nobody who vouches for it has said: over a limit, a part that is not listed, makers mixed
table    prior pseudo-counts, weights and hours, each with its reasoning; all of it may be edited
belief   trials -> Dirichlet posterior of each claim, with what every trial added
trouble  claims together: probability of trouble, expected loss, break-even
"""
