package standin

import (
	"bytes"
	"encoding/base64"
	"net/http"
	"strings"
	"testing"
)

func raw(t *testing.T, text string) []byte {
	b, err := base64.RawURLEncoding.DecodeString(text)
	if err != nil {
		t.Fatal(err)
	}
	return b
}

// The example of RFC 8291, section 5 and appendix A.
func TestOpensTheMessageOfTheRFC(t *testing.T) {
	b, err := NewBrowser(raw(t, "q1dXpw3UpT5VOmu_cf_v6ih07Aems3njxI-JWgLcM94"), raw(t, "BTBZMqHH6r4Tts7J_aSIgg"))
	if err != nil {
		t.Fatal(err)
	}
	if public, _ := b.Keys(); public != "BCVxsr7N_eNgVRqvHtD0zTZsEc6-VV-JvLexhqUzORcxaOzi6-AYWXvTBHm4bjyPjs7Vd8pZGH6SRpkNtoIAiw4" {
		t.Errorf("the public key is %s", public)
	}
	message := raw(t, "DGv6ra1nlYgDCS1FRnbzlwAAEABBBP4z9KsN6nGRTbVYI_c7VJSPQTBtkgcy27mlmlMoZIIgDll6e3vCYLocInmYWAmS6TlzAC8wEqKK6PBru3jl7A_yl95bQpu6cVPTpK4Mqgkf1CXztLVBSt2Ks3oZwbuwXPXLWyouBWLVWGNWQexSgSxsj_Qulcy4a-fN")
	plain, err := b.Open(message)
	if err != nil || string(plain) != "When I grow up, I want to be a watermelon" {
		t.Errorf("%q %v", plain, err)
	}
	for i := range message {
		spoilt := bytes.Clone(message)
		spoilt[i] ^= 1
		if plain, err := b.Open(spoilt); err == nil && !(i >= 16 && i < 20) { // the record size alone is not signed
			t.Errorf("byte %d changed, and it reads %q", i, plain)
		}
	}
	if _, err := b.Open(message[:40]); err == nil {
		t.Error("a message that is cut off was opened")
	}
}

func TestTheGatewayTakesTheSameMessageOnce(t *testing.T) {
	in, err := OpenInbox("", nil)
	if err != nil {
		t.Fatal(err)
	}
	g, err := StartGateway(in)
	if err != nil {
		t.Fatal(err)
	}
	defer g.Close()
	post := func(key string) int {
		r, _ := http.NewRequest(http.MethodPost, g.URL+"/text",
			strings.NewReader(`{"to": "+1", "text": "x", "ref": "n"}`))
		r.Header.Set("Authorization", Secret)
		r.Header.Set("Idempotency-Key", key)
		answer, err := http.DefaultClient.Do(r)
		if err != nil {
			t.Fatal(err)
		}
		answer.Body.Close()
		return answer.StatusCode
	}
	for _, key := range []string{"a", "a", "b"} {
		if status := post(key); status != http.StatusAccepted {
			t.Errorf("%d", status)
		}
	}
	if n := len(in.Messages()); n != 2 {
		t.Errorf("%d messages", n)
	}
	if err := in.Fail("text", FaultReject); err != nil || post("c") != http.StatusUnprocessableEntity {
		t.Error("it was told to reject")
	}
	if err := in.Fail("txt", ""); err == nil || !strings.Contains(err.Error(), "did you mean text?") {
		t.Errorf("%v", err)
	}
	if err := in.Fail("text", "refse"); err == nil || !strings.Contains(err.Error(), "did you mean refuse?") {
		t.Errorf("%v", err)
	}
}
