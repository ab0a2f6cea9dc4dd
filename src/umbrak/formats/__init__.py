"""Bytes and text to core values and back.

faults      what is wrong with an input, and where        yaml_text   YAML with positions
documents   checked documents of modules and machines      sheet/      the platform sheet
smbios/     SMBIOS tables, binary and as a text listing    case        case files
reading     any of the above, kind detected                to_json     values as JSON
text        decoding, lines, words and numbers             bounds      how much is read, and for how long
json_text   JSON whose sender is not trusted               apart       readers in a process of their own

Everything read is untrusted: bounded in size, time and memory, never executed; a broken part costs that part only.
"""
