package disk

import "golang.org/x/sys/windows"

// Free is how many bytes an ordinary user can still write to the disk of a folder.
func Free(dir string) (uint64, error) {
	name, err := windows.UTF16PtrFromString(dir)
	if err != nil {
		return 0, err
	}
	var free uint64
	err = windows.GetDiskFreeSpaceEx(name, &free, nil, nil)
	return free, err
}
