package place

import (
	"context"
	"net"
	"strings"
	"time"

	"jauntylark/api"
	"jauntylark/core/site"
	"jauntylark/core/sketch"
	"jauntylark/pipeline/configure"
	"jauntylark/server/web"
	"jauntylark/store/config"
	"jauntylark/store/events"
	"jauntylark/store/timeseries"
)

// devicesOperations has the operations of this file answered.
func devicesOperations(v *web.Server) {
	web.Answer(v, api.ListDevices, listDevices)
	web.Answer(v, api.AddDevice, addDevice)
	web.Change(v, api.GetDevice, getDevice, api.SetDevice, setDevice)
	web.Carry(v, api.RemoveDevice, removeDevice)
	web.Answer(v, api.GetCode, getCode)
	web.Answer(v, api.OrderSettings, orderSettings)
	web.Answer(v, api.ListKeys, listKeys)
	web.Answer(v, api.RotateKey, rotateKey)
	web.Carry(v, api.RevokeKey, revokeKey)
}

func listDevices(ctx context.Context, v *web.Server, _ *api.None) ([]site.Device, error) {
	return config.Devices(ctx, v.Store, v.Pipeline.Now())
}

// FindDevice gives a device as people see it; the problem of one that is not there names the nearest.
func FindDevice(ctx context.Context, v *web.Server, name string) (site.Device, error) {
	d, err := config.Device(ctx, v.Store, name, v.Pipeline.Now())
	if err == nil {
		return d, nil
	}
	all, listErr := config.PlainDevices(ctx, v.Store)
	if listErr != nil {
		return d, listErr
	}
	names := make([]string, len(all))
	for i := range all {
		names[i] = all[i].Name
	}
	return d, web.Missing(err, "device", name, names)
}

const (
	proposeFrom = 7 * 24 * time.Hour
	proposeGaps = 200
	knocksFrom  = 10 * time.Minute
)

func getDevice(ctx context.Context, v *web.Server, in *api.DevicePath) (api.DeviceStory, error) {
	d, err := FindDevice(ctx, v, in.Device)
	if err != nil {
		return api.DeviceStory{}, err
	}
	out := api.DeviceStory{Device: d, Knocks: []site.Knock{}, Ways: waysFrom(v, web.AskedOf(ctx))}
	now := v.Pipeline.Now()
	gaps, err := timeseries.NewestGaps(ctx, v.Store, d.ID, now.Add(-proposeFrom), proposeGaps)
	if err != nil {
		return api.DeviceStory{}, err
	}
	out.Proposed = site.ProposeInterval(gaps)
	if out.Keys, err = config.DeviceKeys(ctx, v.Store, d.ID, d.Name); err != nil {
		return api.DeviceStory{}, err
	}
	knocks, err := events.Knocks(ctx, v.Store, max(now.Add(-knocksFrom), d.CreatedAt), 50)
	for _, k := range knocks {
		if name, _, _ := strings.Cut(k.Name, "."); name == "" || name == d.Name {
			out.Knocks = append(out.Knocks, k)
		}
	}
	return out, err
}

func addDevice(ctx context.Context, v *web.Server, in *api.Body[api.NewDevice]) (api.AddedDevice, error) {
	if err := site.CheckName(in.Body.Name); err != nil {
		return api.AddedDevice{}, web.Wrong("name", err.Error())
	}
	key, kept := newKey(v)
	out := api.AddedDevice{Key: key, Device: site.Device{Name: in.Body.Name, Title: strings.TrimSpace(in.Body.Title),
		Kit: in.Body.Kit, Behind: in.Body.Behind}}
	if err := configure.AddDevice(ctx, v.Pipeline, &out.Device, kept, web.Who(ctx)); err != nil {
		return api.AddedDevice{}, err
	}
	LearnDevice(ctx, v)
	d, err := FindDevice(ctx, v, out.Name)
	if err != nil {
		return api.AddedDevice{}, err
	}
	out.Device = d
	out.Code, err = codeOf(ctx, v, d.Name, key, web.AskedOf(ctx))
	return out, err
}

// LearnDevice lets admission know at once what was changed; other processes learn it a moment later.
func LearnDevice(ctx context.Context, v *web.Server) {
	if err := v.Admission.Reload(ctx); err != nil {
		v.Log.Warn("intake cannot read the devices and keys", "error", err)
	}
}

// newKey makes a device's key and what is kept of it.
func newKey(v *web.Server) (string, configure.Secret) {
	key, hash := web.NewSecret(20)
	return key, configure.Secret{Hash: hash, Sealed: v.Admission.Seal.Close(key)}
}

func setDevice(ctx context.Context, v *web.Server, in *api.SetDeviceIn) (site.Device, error) {
	if err := configure.SetDevice(ctx, v.Pipeline, in.Device, in.Body, web.Who(ctx)); err != nil {
		return site.Device{}, err
	}
	return FindDevice(ctx, v, in.Device)
}

func removeDevice(ctx context.Context, v *web.Server, in *api.DevicePath) error {
	return configure.RemoveDevice(ctx, v.Pipeline, in.Device, web.Who(ctx))
}

// firstPin is where the first output of a ready text is.
const firstPin = 4

// codeOf writes the texts that connect a device.
func codeOf(ctx context.Context, v *web.Server, name, key string, from web.Asked) ([]sketch.Text, error) {
	d := sketch.Device{Name: name, Key: key, Ways: waysFrom(v, from)}
	signals, err := config.Signals(ctx, v.Store)
	for _, s := range signals {
		if s.Device == name && s.Kind == site.KindNumber {
			d.Signal = s.Name
			break
		}
	}
	if err != nil {
		return nil, err
	}
	outputs, err := config.Outputs(ctx, v.Store)
	for _, o := range outputs {
		if o.Device == name {
			d.Outputs = append(d.Outputs, sketch.Output{Name: o.Name, Safe: string(o.Sends(o.Safe)), Pin: firstPin +
				len(d.Outputs)})
		}
	}
	return sketch.All(d), err
}

func getCode(ctx context.Context, v *web.Server, in *api.DevicePath) ([]sketch.Text, error) {
	d, err := FindDevice(ctx, v, in.Device)
	if err != nil {
		return nil, err
	}
	return codeOf(ctx, v, d.Name, "", web.AskedOf(ctx))
}

// waysFrom are the ways in as somebody reaches them who reached us as the request did: an address
// that is open on every interface is given by the name that the request used.
func waysFrom(v *web.Server, from web.Asked) sketch.Ways {
	ways := v.Ways
	ways.HTTP = strings.TrimRight(v.URL, "/")
	if ways.HTTP == "" {
		ways.HTTP = from.Scheme + "://" + from.Host
	}
	name := from.Host
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

func listKeys(ctx context.Context, v *web.Server, in *api.DevicePath) ([]site.Key, error) {
	d, err := FindDevice(ctx, v, in.Device)
	if err != nil {
		return nil, err
	}
	return config.DeviceKeys(ctx, v.Store, d.ID, d.Name)
}

func rotateKey(ctx context.Context, v *web.Server, in *api.RotateKeyIn) (api.NewKey, error) {
	d, err := FindDevice(ctx, v, in.Device)
	if err != nil {
		return api.NewKey{}, err
	}
	key, kept := newKey(v)
	number, err := configure.RotateKey(ctx, v.Pipeline, d.Name, kept, (*time.Duration)(in.Body.Overlap), web.Who(ctx))
	if err != nil {
		return api.NewKey{}, err
	}
	LearnDevice(ctx, v)
	out := api.NewKey{Key: key, Identity: site.Identity(d.Name, number)}
	out.Code, err = codeOf(ctx, v, d.Name, key, web.AskedOf(ctx))
	return out, err
}

func revokeKey(ctx context.Context, v *web.Server, in *api.RevokeKeyIn) error {
	if err := configure.RevokeKey(ctx, v.Pipeline, in.Device, in.Key, web.Who(ctx)); err != nil {
		return err
	}
	LearnDevice(ctx, v)
	return nil
}

func orderSettings(ctx context.Context, v *web.Server, in *api.OrderSettingsIn) (site.Device, error) {
	if err := in.Body.Check(); err != nil {
		return site.Device{}, err
	}
	if err := configure.Order(ctx, v.Pipeline, in.Device, in.Body, web.Who(ctx)); err != nil {
		return site.Device{}, err
	}
	LearnDevice(ctx, v)
	return FindDevice(ctx, v, in.Device)
}
