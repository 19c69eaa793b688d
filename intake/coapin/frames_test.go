package coapin_test

import (
	"encoding/binary"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"jauntylark/api"
	"jauntylark/server/servertest"
)

// graymap is a frame of 160 × 120 at 0.01 °C a count: 38 kB, which comes in blocks.
func graymap(t *testing.T, hottest float64) string {
	t.Helper()
	const width, height = 160, 120
	body := fmt.Appendf(nil, "P5\n# scale=0.01 offset=-40\n%d %d\n65535\n", width, height)
	for i := range width * height {
		v := 20 + float64(i%width)/100
		if i == 57*width+99 {
			v = hottest
		}
		body = binary.BigEndian.AppendUint16(body, uint16((v+40)*100+0.5))
	}
	path := filepath.Join(t.TempDir(), "frame.pgm")
	if err := os.WriteFile(path, body, 0o600); err != nil {
		t.Fatal(err)
	}
	return path
}

// A frame comes block by block (RFC 7959) from libcoap's own client, and is answered when it is committed; one of
// another size is refused in words.
func TestFramesInBlocksByARealClient(t *testing.T) {
	s := servertest.Start(t)
	key := s.Device("eye").Token
	out := secure(t, s, "eye", key, "post", "/frames", "-b", "1024", "-f", graymap(t, 81.5))
	if !strings.Contains(out, "2.04") || !strings.Contains(out, "Block1:37/_/1024") {
		t.Fatalf("a frame in blocks ends with %s", out[max(0, len(out)-900):])
	}
	for name, want := range map[string]float64{"highest": 81.5, "lowest": 20, "hottest-x": 99, "hottest-y": 57} {
		if v := s.Signal("eye/" + name); v == nil || *v.Value != want {
			t.Errorf("%s is %+v, should be %v", name, v, want)
		}
	}
	out = secure(t, s, "eye", key, "post", "/frames", "-e", "21,22")
	if !strings.Contains(out, "4.22") || !strings.Contains(out, "those of this device are 160") {
		t.Errorf("of another size: %.400s", out)
	}
	out = plain(t, s, "post", "/frames?device=eye&key="+key+"&at=2026-03-01T10:00:00Z", "-b", "512", "-f",
		graymap(t, 70))
	if !strings.Contains(out, "2.04") {
		t.Errorf("without DTLS: %.600s", out)
	}
	var l api.FrameList
	s.Do(api.ListFrames.At("eye").Asking("since", "2026-02-01T00:00:00Z"), nil, &l)
	if l.All != 2 || l.Frames[0].High != 70 || l.Frames[0].At.String() != "2026-03-01T10:00:00.000Z" ||
		l.Eye.Width != 160 {
		t.Errorf("there are %+v", l.Frames)
	}
}
