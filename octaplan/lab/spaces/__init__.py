"""Network namespaces of this machine and the programs in them: what rehearsals and the practice bench share."""
