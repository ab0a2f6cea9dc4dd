"""Simulated machines, each a process of its own: what the demo and the tests ask instead of a rack.

spec         what a simulated machine is: a file made from a sheet, a machine and its layout
controller   a management controller: Redfish over HTTPS, with faults to inject
appliance    an appliance: SNMP v2c and v3
"""
