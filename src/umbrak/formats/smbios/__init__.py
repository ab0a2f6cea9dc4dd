"""SMBIOS tables (DMTF DSP0134), binary and as the text listing that administrators paste.

codes    numbers of the standard and the words that listings use for them
tables   bytes -> records        listing  text -> records        survey  records -> SurveyReading

A record holds one structure's members under the listing's own words, so that both readings meet there.
"""
