"""Pictures handed to a kernel by their address.

Arrays in a list are counted by every thread that takes one out, and the threads wait for each other's
counting; an address is just read. Nor does it matter then whether memory that a decoder lends may be
written to: of every kind of array a kernel would be compiled anew. Who calls the kernel holds the memory
until it is done.
"""

from __future__ import annotations

import numba as nb


def _pointing_to(kind):
    @nb.extending.intrinsic
    def pointer(typing, address):
        signature = nb.types.CPointer(kind)(nb.uint64)

        def generate(context, builder, signature, arguments):
            return builder.inttoptr(arguments[0], context.get_value_type(signature.return_type))

        return signature, generate

    return pointer


pixels_at, bytes_at = _pointing_to(nb.uint32), _pointing_to(nb.uint8)
"""To packed pixels, and to the bytes of a plane; an array of them is made by ``numba.carray``."""
words_at, floats_at = _pointing_to(nb.uint64), _pointing_to(nb.float32)
"""To the nodes of a table, and to its curves."""
