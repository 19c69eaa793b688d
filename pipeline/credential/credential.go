package credential

import (
	"context"
	"crypto/subtle"
	"errors"
	"fmt"
	"maps"

	"jauntylark/core/feed"
	"jauntylark/core/frame"
	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/store"
	"jauntylark/store/config"
)

// Sender is who sends a pack: a device by its key, or a person.
type Sender struct {
	Key      [32]byte // SHA-256 of the device's key
	Name     string   // as whom it says that it comes; empty: as the key says
	Vouched  bool     // an outside broker has let it in as Name; it has no key here
	Person   string   // e-mail address; empty for a device
	Protocol string   // HTTP, MQTT or CoAP
	Address  string   // from where
}

// ID names the sender for idempotency: who it is, not where.
func (s Sender) ID() string {
	if s.Person != "" {
		return "person " + s.Person
	}
	if s.Vouched {
		return "broker " + s.Name
	}
	return fmt.Sprintf("key %x %s", s.Key, s.Name)
}

var (
	// ErrKeyUnknown says that the key is no device's, or not any more.
	ErrKeyUnknown = errors.New("the key is not known")
	// ErrNoName says that the enrolment key came without the device's name.
	ErrNoName = errors.New("the enrolment key needs the device's name beside it")
	// ErrOwnKey says that the enrolment key came for a device that has a key of its own.
	ErrOwnKey = errors.New("this device has a key of its own; the enrolment key is for devices that nobody knows")
	// ErrTurnedAway says that the arrival was turned away.
	ErrTurnedAway = errors.New("this device was turned away")
	// ErrFull says that no more arrivals are kept.
	ErrFull = errors.New("too many devices wait to be let in")
)

// Directory says whose a key is.
type Directory struct {
	Keys      map[[32]byte]config.Key
	Identity  map[string]config.Key // by DTLS identity
	Former    map[[32]byte]config.FormerKey
	Enrolment config.Enrolment
	Readers   []config.ReaderKey
	ByName    map[string]*site.Device
	ByID      map[int64]*site.Device
	Eyes      map[int64]*frame.Eye // of devices that send frames
}

// Load reads the directory of devices that are all there are.
func Load(ctx context.Context, from store.Reader, devices []*site.Device) (Directory, error) {
	d := Directory{Keys: map[[32]byte]config.Key{}, Identity: map[string]config.Key{},
		ByName: make(map[string]*site.Device, len(devices)),
		ByID:   make(map[int64]*site.Device, len(devices)), Eyes: map[int64]*frame.Eye{}}
	if err := d.load(ctx, from, devices); err != nil {
		return d, err
	}
	return d, d.RenewKeys(ctx, from)
}

// Follow gives the directory by configuration number until, of one that knows number since or nothing, and whether it
// is another one.
func Follow(ctx context.Context, from store.Reader, old *Directory, since,
	until int64) (d Directory, anew bool, err error) {
	changes := []store.Change{{Scope: store.OfAll}}
	if old.ByID != nil {
		if changes, err = store.ConfigSince(ctx, from, since, until); err != nil {
			return *old, false, err
		}
	}
	about := map[store.Scope][]int64{}
	for _, c := range changes {
		about[c.Scope] = append(about[c.Scope], c.ID)
	}
	if ids := about[store.OfDevice]; about[store.OfAll] == nil && (ids != nil || about[store.OfKeys] != nil) {
		d = old.clone()
		if ids != nil {
			err = d.renewDevices(ctx, from, ids)
		}
		if err == nil && about[store.OfKeys] != nil {
			err = d.RenewKeys(ctx, from)
		}
		return d, true, err
	}
	if about[store.OfAll] == nil {
		return *old, false, nil
	}
	devices, err := config.PlainDevices(ctx, from)
	if err == nil {
		d, err = Load(ctx, from, pointers(devices))
	}
	return d, true, err
}

func (d *Directory) renewDevices(ctx context.Context, from store.Reader, ids []int64) error {
	devices, err := config.PlainDevices(ctx, from, ids...)
	if err != nil {
		return err
	}
	return d.Renew(ctx, from, pointers(devices), ids)
}

func pointers(devices []site.Device) []*site.Device {
	all := make([]*site.Device, len(devices))
	for i := range devices {
		all[i] = &devices[i]
	}
	return all
}

// Renew takes some devices anew: those of ids that are among devices are as they are there, all others of ids are gone.
func (d *Directory) Renew(ctx context.Context, from store.Reader, devices []*site.Device, ids []int64) error {
	gone := make(map[int64]bool, len(ids))
	for _, id := range ids {
		gone[id] = true
		delete(d.ByID, id)
		delete(d.Eyes, id)
	}
	maps.DeleteFunc(d.ByName, func(_ string, device *site.Device) bool { return gone[device.ID] })
	maps.DeleteFunc(d.Keys, func(_ [32]byte, k config.Key) bool { return gone[k.Device] })
	maps.DeleteFunc(d.Identity, func(_ string, k config.Key) bool { return gone[k.Device] })
	return d.load(ctx, from, devices, ids...)
}

// RenewKeys takes anew what belongs to no device: the enrolment key, readers, and keys of devices that were removed.
func (d *Directory) RenewKeys(ctx context.Context, from store.Reader) (err error) {
	if d.Enrolment, err = config.ReadEnrolment(ctx, from); err != nil {
		return err
	}
	if d.Readers, err = config.Readers(ctx, from); err != nil {
		return err
	}
	former, err := config.FormerKeys(ctx, from)
	d.Former = make(map[[32]byte]config.FormerKey, len(former))
	for _, k := range former {
		d.Former[[32]byte(k.Hash)] = k
	}
	return err
}

// load takes devices in, with the keys and eyes of those of ids; without any, of all.
func (d *Directory) load(ctx context.Context, from store.Reader, devices []*site.Device, ids ...int64) error {
	keys, err := config.Keys(ctx, from, ids...)
	if err != nil {
		return err
	}
	eyes, err := config.Eyes(ctx, from, ids...)
	if err != nil {
		return err
	}
	for i := range eyes {
		d.Eyes[eyes[i].Device] = &eyes[i].Eye
	}
	for _, device := range devices {
		d.ByName[device.Name], d.ByID[device.ID] = device, device
	}
	for _, k := range keys {
		d.Keys[[32]byte(k.Hash)] = k
		d.Identity[site.Identity(k.Name, k.Number)] = k
	}
	return nil
}

// clone gives a directory that can be changed while others use this one.
func (d *Directory) clone() Directory {
	c := *d
	c.Keys, c.Identity, c.ByName, c.ByID, c.Eyes = maps.Clone(d.Keys), maps.Clone(d.Identity), maps.Clone(d.ByName),
		maps.Clone(d.ByID), maps.Clone(d.Eyes)
	return c
}

// Identity is what a key proves: a device, or the name of an arrival.
type Identity struct {
	Device  *site.Device // nil for an arrival
	Key     config.Key   // the device's key; none for enrolment
	Arrival string       // name of one that nobody knows yet
	Former  bool         // the arrival is a deleted device
}

// Identify finds out who a sender is at an instant.
func (d *Directory) Identify(s Sender, now measure.Instant) (Identity, error) {
	if s.Vouched {
		if device := d.ByName[s.Name]; device != nil {
			return Identity{Device: device}, nil
		}
		return Identity{}, ErrKeyUnknown
	}
	if key, known := d.Keys[s.Key]; known && (key.ExpiresAt == nil || *key.ExpiresAt > now) {
		device := d.ByID[key.Device]
		if named := d.ByName[s.Name]; named != nil && named.Behind == device.Name {
			return Identity{Device: named, Key: key}, nil
		}
		return Identity{Device: device, Key: key}, nil
	}
	if subtle.ConstantTimeCompare(d.Enrolment.Hash, s.Key[:]) == 1 {
		return d.enrol(s.Name)
	}
	if former, known := d.Former[s.Key]; known && d.ByName[former.Name] == nil {
		return Identity{Arrival: former.Name, Former: true}, nil
	}
	return Identity{}, ErrKeyUnknown
}

func (d *Directory) enrol(name string) (Identity, error) {
	switch device := d.ByName[name]; {
	case name == "":
		return Identity{}, ErrNoName
	case device != nil && device.Enrolled:
		return Identity{Device: device}, nil
	case device != nil:
		return Identity{}, ErrOwnKey
	}
	if err := site.CheckName(name); err != nil {
		return Identity{}, fmt.Errorf("the device's name %w", err)
	}
	return Identity{Arrival: name}, nil
}

// Reader gives the reader whose key has a hash; nil: it is no reader's.
func (d *Directory) Reader(hash []byte) *feed.Reader {
	for i := range d.Readers {
		if r := &d.Readers[i]; r.Hash != nil && subtle.ConstantTimeCompare(r.Hash, hash) == 1 {
			return &r.Reader
		}
	}
	return nil
}

// MaySpeakFor tells whether a device may send as the one of the name: itself, or one behind it.
func (d *Directory) MaySpeakFor(device *site.Device, name string) bool {
	if device.Name == name {
		return true
	}
	other := d.ByName[name]
	return other != nil && other.Behind == device.Name
}
