//go:build unix

package disk

import "golang.org/x/sys/unix"

// Free is how many bytes an ordinary user can still write to the disk of a folder.
func Free(dir string) (uint64, error) {
	var s unix.Statfs_t
	if err := unix.Statfs(dir, &s); err != nil {
		return 0, err
	}
	return uint64(s.Bavail) * uint64(s.Bsize), nil
}
