package mqttin_test

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/fxamacker/cbor/v2"

	"jauntylark/api"
	"jauntylark/server/servertest"
	"jauntylark/store/storetest"
)

// Frames come over MQTT in each format from mosquitto's own client; one of another size is refused on the topic for
// that.
func TestFramesByARealClient(t *testing.T) {
	s := servertest.Start(t)
	key := s.Device("eye").Token
	asCBOR, err := cbor.Marshal(map[string]any{"width": 2, "height": 2, "values": []any{21.5, nil, 20, 33.25}})
	if err != nil {
		t.Fatal(err)
	}
	wrong := sub(t, s, "eye", key, "jaunty/eye/refused")
	for i, body := range []string{"21.5,22\n,30.25\n", `{"values": [[20, 21], [22, 31.25]]}`,
		string(asCBOR) /* its highest is 33.25 */, "P2\n# scale=0.25\n2 2\n200\n80 80 84 129\n"} {
		path := filepath.Join(t.TempDir(), "frame")
		if err := os.WriteFile(path, []byte(body), 0o600); err != nil {
			t.Fatal(err)
		}
		if out, err := pub(t, s, "eye", key, "-q", "1", "-t", "jaunty/eye/frames", "-f", path); err != nil {
			t.Fatal(out, err)
		}
		want := []float64{30.25, 31.25, 33.25, 32.25}[i]
		if v := s.Signal("eye/highest"); v == nil || *v.Value != want {
			t.Errorf("after frame %d the highest is %+v, should be %v", i, v, want)
		}
	}
	if out, err := pub(t, s, "eye", key, "-q", "1", "-t", "jaunty/eye/frames", "-m", "1,2,3"); err != nil {
		t.Fatal(out, err)
	}
	if said := <-wrong; !strings.Contains(said, "is 3 × 1; those of this device are 2 × 2") {
		t.Errorf("of another size: %s", said)
	}
	storetest.Eventually(t, "four frames", func() bool {
		var l api.FrameList
		s.Do(api.ListFrames.At("eye"), nil, &l)
		return l.All == 4
	})
}
