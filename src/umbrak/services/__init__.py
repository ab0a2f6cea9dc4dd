"""What a person can do: one function a use case, one transaction each, in rooms by what is done there.

Rooms import downwards only (checked): machines > bench > proof > runs > plans > routes > shelf > evidence > surveys > known >
sheets > people. `errors` is what can go wrong in any of them. Where a use case is more than one transaction, it says so.
"""
