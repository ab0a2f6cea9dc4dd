"""What a person can do: one function a use case, one transaction each.

Every function takes the engine and, except for signing in, the account that acts. Failures are the
errors of `errors`, never those of the layers below.
"""
