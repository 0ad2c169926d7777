"""Starting styles: what each is for, how it is written for a machine, and how it is fitted."""
