"""What a layout rests on that nobody vouches for, and how far to believe that it runs.

table    the numbers that doubts start from, each with its reasoning; an installation may set its own
trial    what was tried where, by whom, and how it went
ladder   how much of something works: what figures leave of it, and what trials do to that
doubt    one thing that has to be true for a layout to run and that nothing has settled
board    what is known of a board beside any layout: stated figures as ladders, and how far what ran shows more
doubts   what may be doubted of a layout: each thing once, however many findings point at it
belief   one doubt with the trials that speak of it, and what each of them does
trouble  doubts together: trouble, early failures, quirks, the expected loss, the range and what moves it most
levers   what lowers trouble or its cost, and which act would tell most
"""
