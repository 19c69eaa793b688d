package server

import (
	"context"
	"net"
	"strings"
	"time"

	"jauntylark/api"
	"jauntylark/core/site"
	"jauntylark/core/sketch"
	"jauntylark/pipeline/configure"
)

func (v *Server) listDevices(ctx context.Context, _ *api.None) ([]site.Device, error) {
	return v.store.Devices(ctx, v.pipeline.Now())
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

const (
	proposeFrom = 7 * 24 * time.Hour
	proposeGaps = 200
	knocksFrom  = 10 * time.Minute
)

func (v *Server) getDevice(ctx context.Context, in *api.DevicePath) (api.DeviceStory, error) {
	d, err := v.device(ctx, in.Device)
	if err != nil {
		return api.DeviceStory{}, err
	}
	out := api.DeviceStory{Device: d, Knocks: []site.Knock{}, Ways: v.waysFrom(askedOf(ctx))}
	now := v.pipeline.Now()
	gaps, err := v.store.NewestGaps(ctx, d.ID, now.Add(-proposeFrom), proposeGaps)
	if err != nil {
		return api.DeviceStory{}, err
	}
	out.Proposed = site.ProposeInterval(gaps)
	if out.Keys, err = v.store.DeviceKeys(ctx, d.ID, d.Name); err != nil {
		return api.DeviceStory{}, err
	}
	knocks, err := v.store.Knocks(ctx, max(now.Add(-knocksFrom), d.CreatedAt), 50)
	for _, k := range knocks {
		if name, _, _ := strings.Cut(k.Name, "."); name == "" || name == d.Name {
			out.Knocks = append(out.Knocks, k)
		}
	}
	return out, err
}

func (v *Server) addDevice(ctx context.Context, in *api.Body[api.NewDevice]) (api.AddedDevice, error) {
	if err := site.CheckName(in.Body.Name); err != nil {
		return api.AddedDevice{}, wrong("name", err.Error())
	}
	key, kept := v.newKey()
	out := api.AddedDevice{Key: key, Device: site.Device{Name: in.Body.Name, Title: strings.TrimSpace(in.Body.Title), Kit: in.Body.Kit, Behind: in.Body.Behind}}
	if err := configure.AddDevice(ctx, v.pipeline, &out.Device, kept, who(ctx)); err != nil {
		return api.AddedDevice{}, err
	}
	v.learn(ctx)
	d, err := v.device(ctx, out.Name)
	if err != nil {
		return api.AddedDevice{}, err
	}
	out.Device = d
	out.Code, err = v.code(ctx, d.Name, key, askedOf(ctx))
	return out, err
}

// learn lets the door know at once what was changed; other processes learn it a moment later.
func (v *Server) learn(ctx context.Context) {
	if err := v.door.Reload(ctx); err != nil {
		v.Log.Warn("the door cannot read the devices and keys", "error", err)
	}
}

// newKey makes a device's key and what is kept of it.
func (v *Server) newKey() (string, configure.Secret) {
	key, hash := secret(20)
	return key, configure.Secret{Hash: hash, Sealed: v.door.Seal.Close(key)}
}

func (v *Server) setDevice(ctx context.Context, in *api.SetDeviceIn) (site.Device, error) {
	if err := configure.SetDevice(ctx, v.pipeline, in.Device, in.Body, who(ctx)); err != nil {
		return site.Device{}, err
	}
	return v.device(ctx, in.Device)
}

func (v *Server) removeDevice(ctx context.Context, in *api.DevicePath) error {
	return configure.RemoveDevice(ctx, v.pipeline, in.Device, who(ctx))
}

// firstPin is where the first output of a ready text is.
const firstPin = 4

// code writes the texts that connect a device.
func (v *Server) code(ctx context.Context, name, key string, from asked) ([]sketch.Text, error) {
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

func (v *Server) getCode(ctx context.Context, in *api.DevicePath) ([]sketch.Text, error) {
	d, err := v.device(ctx, in.Device)
	if err != nil {
		return nil, err
	}
	return v.code(ctx, d.Name, "", askedOf(ctx))
}

// waysFrom are the ways in as somebody reaches them who reached us as the request did: an address
// that is open on every interface is given by the name that the request used.
func (v *Server) waysFrom(from asked) sketch.Ways {
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

func (v *Server) listKeys(ctx context.Context, in *api.DevicePath) ([]site.Key, error) {
	d, err := v.device(ctx, in.Device)
	if err != nil {
		return nil, err
	}
	return v.store.DeviceKeys(ctx, d.ID, d.Name)
}

func (v *Server) rotateKey(ctx context.Context, in *api.RotateKeyIn) (api.NewKey, error) {
	d, err := v.device(ctx, in.Device)
	if err != nil {
		return api.NewKey{}, err
	}
	key, kept := v.newKey()
	number, err := configure.RotateKey(ctx, v.pipeline, d.Name, kept, (*time.Duration)(in.Body.Overlap), who(ctx))
	if err != nil {
		return api.NewKey{}, err
	}
	v.learn(ctx)
	out := api.NewKey{Key: key, Identity: site.Identity(d.Name, number)}
	out.Code, err = v.code(ctx, d.Name, key, askedOf(ctx))
	return out, err
}

func (v *Server) revokeKey(ctx context.Context, in *api.RevokeKeyIn) error {
	if err := configure.RevokeKey(ctx, v.pipeline, in.Device, in.Key, who(ctx)); err != nil {
		return err
	}
	v.learn(ctx)
	return nil
}

func (v *Server) orderSettings(ctx context.Context, in *api.OrderSettingsIn) (site.Device, error) {
	if err := in.Body.Check(); err != nil {
		return site.Device{}, err
	}
	if err := configure.Order(ctx, v.pipeline, in.Device, in.Body, who(ctx)); err != nil {
		return site.Device{}, err
	}
	v.learn(ctx)
	return v.device(ctx, in.Device)
}
