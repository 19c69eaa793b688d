package mqttin

import (
	"testing"

	mqtt "github.com/mochi-mqtt/server/v2"
	"github.com/mochi-mqtt/server/v2/packets"
)

// Of what waits for a session so many bytes are kept, the newest; one message is kept however long it is.
func TestWhatWaitsForASessionIsBoundedByBytes(t *testing.T) {
	const long = 60 << 10
	cl := &mqtt.Client{State: mqtt.ClientState{Inflight: mqtt.NewInflights()}}
	kept := func() (all []uint16) {
		(&hook{}).OnQosPublish(cl, packets.Packet{}, 0, 0)
		for _, pk := range cl.State.Inflight.GetAll(false) {
			all = append(all, pk.PacketID)
		}
		return all
	}
	for id := range uint16(10) {
		cl.State.Inflight.Set(packets.Packet{PacketID: id + 1, Created: int64(id), Payload: make([]byte, long)})
	}
	if got := kept(); len(got) != waitingBytes/long || got[0] != 7 || got[len(got)-1] != 10 {
		t.Errorf("of ten messages of %d bytes %v are kept", long, got)
	}
	cl.State.Inflight.Set(packets.Packet{PacketID: 11, Created: 11, Payload: make([]byte, 2*waitingBytes)})
	if got := kept(); len(got) != 1 || got[0] != 11 {
		t.Errorf("beside one that is longer than all may be, %v are kept", got)
	}
}
