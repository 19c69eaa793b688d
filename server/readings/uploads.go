package readings

import (
	"errors"
	"fmt"
	"io"
	"net/http"
	"os"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/labstack/echo/v5"

	"jauntylark/core/prose"
	"jauntylark/history"
)

const (
	uploadStalls = 30 * time.Second // a sender that brings nothing for so long is cut off
	uploadTakes  = 2                // an upload takes one part of so many of what is free on its disk
)

// receiveUpload brings a request's body into a file without a name, which goes when it is closed. How large it may be is
// judged before it comes, by what it says of itself, and while it comes.
func receiveUpload(c *echo.Context, pattern string) (file *os.File, size int64, err error) {
	r := c.Request()
	most := int64(importLargest)
	if free, _, err := history.Room(os.TempDir()); err == nil {
		most = min(most, free/uploadTakes)
	}
	if r.ContentLength > most {
		return nil, 0, tooLarge(most)
	}
	if file, err = os.CreateTemp("", pattern); err != nil {
		return nil, 0, err
	}
	_ = os.Remove(file.Name()) // it goes with us, however we end
	body := &brisk{http.MaxBytesReader(c.Response(), r.Body, most), http.NewResponseController(c.Response())}
	size, err = io.Copy(file, body)
	_ = body.control.SetReadDeadline(time.Time{}) // what follows may take long
	if err == nil {
		_, err = file.Seek(0, io.SeekStart)
	}
	if err != nil {
		file.Close()
		var long *http.MaxBytesError
		if errors.As(err, &long) {
			err = tooLarge(most)
		}
		return nil, 0, err
	}
	return file, size, nil
}

func tooLarge(most int64) error {
	return huma.NewError(http.StatusRequestEntityTooLarge, fmt.Sprintf("The file is too large: %s are taken now.",
		prose.Bytes(most)))
}

// brisk cuts off senders that stall.
type brisk struct {
	io.Reader
	control *http.ResponseController
}

// Read waits for the sender for a while.
func (b *brisk) Read(p []byte) (int, error) {
	_ = b.control.SetReadDeadline(time.Now().Add(uploadStalls))
	n, err := b.Reader.Read(p)
	if err != nil && !errors.Is(err, io.EOF) {
		var long *http.MaxBytesError
		if !errors.As(err, &long) {
			err = huma.Error400BadRequest("The file did not arrive in full: " + err.Error())
		}
	}
	return n, err
}
