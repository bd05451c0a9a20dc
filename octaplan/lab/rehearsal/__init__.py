"""The planned site as a real network on this machine, real packets sent through it, held against walk and intent."""
