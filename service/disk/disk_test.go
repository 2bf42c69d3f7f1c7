package disk_test

import (
	"errors"
	"io/fs"
	"syscall"
	"testing"

	"github.com/stretchr/testify/assert"

	"grotta/service/disk"
)

func TestFullDisksAreTold(t *testing.T) {
	wrapped := &fs.PathError{Op: "write", Path: "x", Err: syscall.ENOSPC}
	assert.ErrorIs(t, disk.Explain(wrapped), disk.ErrFull)
	assert.ErrorIs(t, disk.Explain(wrapped), syscall.ENOSPC)
	assert.NotErrorIs(t, disk.Explain(errors.New("other")), disk.ErrFull)
	assert.NoError(t, disk.Explain(nil))
	assert.NoError(t, disk.HasRoom(t.TempDir()))
	assert.Error(t, disk.HasRoom("/no such folder"))
}
