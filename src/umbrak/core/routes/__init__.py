"""Routes: every sensible way from what is fitted to what is wanted, none of which another beats in all respects.

problem    what is asked: machine, candidates, wishes, costs
material   kinds of module at hand, and what each count of a kind costs, kits bought whole
weighing   one layout judged by the real rules: measures, trouble, which wishes it breaks; the only judge there is
space      classes of kinds, units of sockets, what of a machine is alike
designs    which class of module in which slot, each way told once
purchase   which kinds fill the slots of a class: every choice of cost, trouble, rate and kept modules that nothing beats
least_mixed  designs that stand for others which mix more classes and come to the same
columns    designs and their combinations by columns
dominance  which rows another beats
search     designs x purchases as rows of bounds -> those that nothing beats -> weighed, until all that remain are
bound      a lower bound on the cost, from a relaxation, for a search that was stopped
same_total  layouts of one total that touch only some slots
stages     what goes in first where a claim is better proved by one module than by all
picks      the routes that a person asks for first; the smallest sets of wishes to give up
"""
