"""Outgoing connections: machines that are asked over the network, and only in the networks that the operator listed.

networks   where to connect may lead      redfish   a management controller      snmp   an appliance
"""
