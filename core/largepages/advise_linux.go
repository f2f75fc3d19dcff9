package largepages

import "golang.org/x/sys/unix"

func advise(pages []byte) { _ = unix.Madvise(pages, unix.MADV_HUGEPAGE) } // a system without large pages refuses it
