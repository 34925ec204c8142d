"""What stands between the network and the application, in plain ASGI and without Django's help.

A thread is taken only when a request has come whole, and given back as soon as its answer
is made: how slowly somebody sends or reads costs that somebody, and nobody else.
"""
