package server

import (
	"context"
	"net"
	"strings"
	"time"

	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/core/sketch"
	"jauntylark/pipeline"
)

func (v *Server) listDevices(ctx context.Context, _ *none) (*body[[]site.Device], error) {
	return answer(v.store.Devices(ctx, v.pipeline.Now()))
}

// DevicePath is the place of one device.
type DevicePath struct {
	Device string `path:"device"`
}

func (v *Server) device(ctx context.Context, name string) (site.Device, error) {
	d, err := v.store.Device(ctx, name, v.pipeline.Now())
	if err == nil {
		return d, nil
	}
	all, listErr := v.store.PlainDevices(ctx)
	if listErr != nil {
		return d, listErr
	}
	names := make([]string, len(all))
	for i := range all {
		names[i] = all[i].Name
	}
	return d, missing(err, "device", name, names)
}

// DeviceStory is a device with what a page about it needs.
type DeviceStory struct {
	site.Device
	Proposed measure.Duration `json:"proposed_interval" doc:"the interval that it keeps, by its newest readings; 0s: none can be told"`
	Keys     []site.Key       `json:"keys" nullable:"false"`
	Knocks   []site.Knock     `json:"knocks" nullable:"false" doc:"tries with unknown keys in the last ten minutes, since the device was added, that named it or none"`
	Ways     sketch.Ways      `json:"ways" doc:"the addresses that devices can send to"`
}

const (
	proposeFrom = 7 * 24 * time.Hour
	proposeGaps = 200
	knocksFrom  = 10 * time.Minute
)

func (v *Server) getDevice(ctx context.Context, in *struct {
	DevicePath
	origin
}) (*body[DeviceStory], error) {
	d, err := v.device(ctx, in.Device)
	if err != nil {
		return nil, err
	}
	out := DeviceStory{Device: d, Knocks: []site.Knock{}, Ways: v.waysFrom(in.origin)}
	now := v.pipeline.Now()
	gaps, err := v.store.NewestGaps(ctx, d.ID, now.Add(-proposeFrom), proposeGaps)
	if err != nil {
		return nil, err
	}
	out.Proposed = site.ProposeInterval(gaps)
	if out.Keys, err = v.store.DeviceKeys(ctx, d.ID, d.Name); err != nil {
		return nil, err
	}
	knocks, err := v.store.Knocks(ctx, max(now.Add(-knocksFrom), d.CreatedAt), 50)
	for _, k := range knocks {
		if name, _, _ := strings.Cut(k.Name, "."); name == "" || name == d.Name {
			out.Knocks = append(out.Knocks, k)
		}
	}
	return answer(out, err)
}

// NewDevice is a device that is to be added.
type NewDevice struct {
	Name   string `json:"name" example:"greenhouse-door"`
	Title  string `json:"title" required:"false" maxLength:"80" doc:"what people call it; made from the name when left out"`
	Kit    string `json:"kit" required:"false" doc:"the kit that it is made from"`
	Behind string `json:"behind" required:"false" doc:"the gateway that it stands behind"`
}

// AddedDevice is a device that was added, with its key and the texts that connect it.
type AddedDevice struct {
	site.Device
	Key  string        `json:"key" doc:"told once"`
	Code []sketch.Text `json:"code" nullable:"false" doc:"ready text that connects it"`
}

func (v *Server) addDevice(ctx context.Context, in *struct {
	origin
	Body NewDevice
}) (*body[AddedDevice], error) {
	if err := site.CheckName(in.Body.Name); err != nil {
		return nil, wrong("name", err.Error())
	}
	key, kept := v.newKey()
	out := AddedDevice{Key: key, Device: site.Device{Name: in.Body.Name, Title: strings.TrimSpace(in.Body.Title), Kit: in.Body.Kit, Behind: in.Body.Behind}}
	if err := v.pipeline.AddDevice(ctx, &out.Device, kept, who(ctx)); err != nil {
		return nil, err
	}
	v.learn(ctx)
	d, err := v.device(ctx, out.Name)
	if err != nil {
		return nil, err
	}
	out.Device = d
	out.Code, err = v.code(ctx, d.Name, key, in.origin)
	return answer(out, err)
}

// learn lets the door know at once what was changed; other processes learn it a moment later.
func (v *Server) learn(ctx context.Context) {
	if err := v.door.Reload(ctx); err != nil {
		v.Log.Warn("the door cannot read the devices and keys", "error", err)
	}
}

// newKey makes a device's key and what is kept of it.
func (v *Server) newKey() (string, pipeline.Secret) {
	key, hash := secret(20)
	return key, pipeline.Secret{Hash: hash, Sealed: v.door.Seal.Close(key)}
}

func (v *Server) setDevice(ctx context.Context, in *struct {
	DevicePath
	Body pipeline.DeviceChange
}) (*body[site.Device], error) {
	if err := v.pipeline.SetDevice(ctx, in.Device, in.Body, who(ctx)); err != nil {
		return nil, err
	}
	return answer(v.device(ctx, in.Device))
}

func (v *Server) removeDevice(ctx context.Context, in *DevicePath) (*none, error) {
	return nil, v.pipeline.RemoveDevice(ctx, in.Device, who(ctx))
}

// firstPin is where the first output of a ready text is.
const firstPin = 4

// code writes the texts that connect a device.
func (v *Server) code(ctx context.Context, name, key string, from origin) ([]sketch.Text, error) {
	d := sketch.Device{Name: name, Key: key, Ways: v.waysFrom(from)}
	signals, err := v.store.Signals(ctx)
	for _, s := range signals {
		if s.Device == name && s.Kind == site.KindNumber {
			d.Signal = s.Name
			break
		}
	}
	if err != nil {
		return nil, err
	}
	outputs, err := v.store.Outputs(ctx)
	for _, o := range outputs {
		if o.Device == name {
			d.Outputs = append(d.Outputs, sketch.Output{Name: o.Name, Safe: string(o.Sends(o.Safe)), Pin: firstPin + len(d.Outputs)})
		}
	}
	return sketch.All(d), err
}

func (v *Server) getCode(ctx context.Context, in *struct {
	DevicePath
	origin
}) (*body[[]sketch.Text], error) {
	d, err := v.device(ctx, in.Device)
	if err != nil {
		return nil, err
	}
	return answer(v.code(ctx, d.Name, "", in.origin))
}

// waysFrom are the ways in as somebody reaches them who reached us as the request did: an address
// that is open on every interface is given by the name that the request used.
func (v *Server) waysFrom(from origin) sketch.Ways {
	ways := v.Ways
	ways.HTTP = strings.TrimRight(v.URL, "/")
	if ways.HTTP == "" {
		ways.HTTP = from.scheme + "://" + from.host
	}
	name := from.host
	if h, _, err := net.SplitHostPort(name); err == nil {
		name = h
	}
	for _, address := range []*string{&ways.MQTT, &ways.MQTTS, &ways.CoAP, &ways.CoAPS} {
		h, p, err := net.SplitHostPort(*address)
		if ip := net.ParseIP(h); err == nil && (h == "" || ip != nil && ip.IsUnspecified()) {
			*address = net.JoinHostPort(name, p)
		}
	}
	return ways
}

func (v *Server) listKeys(ctx context.Context, in *DevicePath) (*body[[]site.Key], error) {
	d, err := v.device(ctx, in.Device)
	if err != nil {
		return nil, err
	}
	return answer(v.store.DeviceKeys(ctx, d.ID, d.Name))
}

// NewKey is a key that was made.
type NewKey struct {
	Key      string        `json:"key" doc:"told once"`
	Identity string        `json:"identity" doc:"the DTLS identity that goes with it"`
	Code     []sketch.Text `json:"code" nullable:"false" doc:"ready text with the new key"`
}

func (v *Server) rotateKey(ctx context.Context, in *struct {
	DevicePath
	origin
	Body struct {
		Overlap *measure.Duration `json:"overlap,omitempty" required:"false" doc:"the old keys end after so long; left out: when the new one is first used" example:"24h"`
	}
}) (*body[NewKey], error) {
	d, err := v.device(ctx, in.Device)
	if err != nil {
		return nil, err
	}
	key, kept := v.newKey()
	number, err := v.pipeline.RotateKey(ctx, d.Name, kept, (*time.Duration)(in.Body.Overlap), who(ctx))
	if err != nil {
		return nil, err
	}
	v.learn(ctx)
	out := NewKey{Key: key, Identity: site.Identity(d.Name, number)}
	out.Code, err = v.code(ctx, d.Name, key, in.origin)
	return answer(out, err)
}

func (v *Server) revokeKey(ctx context.Context, in *struct {
	DevicePath
	Key int64 `path:"key"`
}) (*none, error) {
	if err := v.pipeline.RevokeKey(ctx, in.Device, in.Key, who(ctx)); err != nil {
		return nil, err
	}
	v.learn(ctx)
	return nil, nil
}

func (v *Server) orderSettings(ctx context.Context, in *struct {
	DevicePath
	Body site.Settings
}) (*body[site.Device], error) {
	if err := in.Body.Check(); err != nil {
		return nil, err
	}
	if err := v.pipeline.Order(ctx, in.Device, in.Body, who(ctx)); err != nil {
		return nil, err
	}
	v.learn(ctx)
	return answer(v.device(ctx, in.Device))
}
