"""The platform sheet, format version 1.

document   the fields, as checked models; the JSON Schema is made from them
expand     a checked document to core's Sheet: repetition unrolled, references resolved
lint       what is legal but wrong, each with a code
reading    text to Sheet, and the sheets that ship with Umbrak
"""
