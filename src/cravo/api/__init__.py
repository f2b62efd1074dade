"""HTTP and sockets in front of core, store and jobs; no computation of its own."""
