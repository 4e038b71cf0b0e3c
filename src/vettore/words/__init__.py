"""Every sentence that window, report and command line share. Facts come from the rooms below; nothing reads a sentence."""
