package frame

import (
	"fmt"
	"time"

	"jauntylark/core/measure"
	"jauntylark/core/site"
)

// Eye says how the frames of a device are read: what they look like, and what is looked at in them. It appears with the
// device's first frame.
type Eye struct {
	Width  int          `json:"width" readOnly:"true" doc:"columns of its frames, fixed by the first one; 0: none came yet"`
	Height int          `json:"height" readOnly:"true" doc:"rows"`
	Scale  float64      `json:"scale" required:"false" doc:"of counts whose sender does not say: degrees a count; 1 when left out" example:"0.01"`
	Offset float64      `json:"offset" required:"false" doc:"degrees at a count of 0" example:"-273.15"`
	Unit   measure.Unit `json:"unit" required:"false" doc:"of what is sent, where it does not say: Cel, K or [degF]; Cel when left out"`
	Low    *float64     `json:"low" required:"false" doc:"°C: the lowest that the camera can truly give"`
	High   *float64     `json:"high" required:"false" doc:"°C: the highest"`

	Emissivity float64 `json:"emissivity" required:"false" doc:"of what is seen; 1 when left out: temperatures as the camera tells them" example:"0.95"`
	Reflected  float64 `json:"reflected" required:"false" doc:"°C: temperature of what is reflected; counts where the emissivity is below 1" example:"20"`

	Regions     []Region   `json:"regions" required:"false" nullable:"false" maxItems:"50"`
	Differences []Contrast `json:"differences" required:"false" nullable:"false" maxItems:"50"`

	Reference *measure.Instant `json:"reference" required:"false" format:"date-time" doc:"the frame that others are compared with to see what has changed; it is kept"`
	Keep      Thinning         `json:"keep" required:"false"`
}

// Thinning says for how long frames are kept, by age. What came around alarms, and the reference, is kept in any case.
type Thinning struct {
	All    measure.Duration `json:"all" required:"false" doc:"all of them for so long; 30d when left out" example:"2592000"`
	Hourly measure.Duration `json:"hourly" required:"false" doc:"one an hour until they are so old; 365d when left out"`
	Daily  measure.Duration `json:"daily" required:"false" doc:"one a day until they are so old; 0: for ever"`
}

const day = measure.Duration(24 * time.Hour)

func (k Thinning) orUsual() Thinning {
	if k.All == 0 {
		k.All = 30 * day
	}
	if k.Hourly == 0 {
		k.Hourly = max(k.All, 365*day)
	}
	return k
}

// Settle fills in what was left out.
func (e *Eye) Settle() {
	if e.Scale == 0 {
		e.Scale = 1
	}
	if e.Unit == "" {
		e.Unit = celsius
	}
	if e.Emissivity == 0 {
		e.Emissivity = 1
	}
	if e.Regions == nil {
		e.Regions = []Region{}
	}
	if e.Differences == nil {
		e.Differences = []Contrast{}
	}
	for i := range e.Differences {
		if e.Differences[i].What == "" {
			e.Differences[i].What = "highest"
		}
	}
	e.Keep = e.Keep.orUsual()
}

// Check tells what is wrong with a settled eye: nil or a *measure.Fault that names the field.
func (e *Eye) Check() error {
	switch {
	case !(e.Scale > 0):
		return fault("scale", "%v is not above 0", e.Scale)
	case e.Unit.Dimension() != "temperature":
		return fault("unit", "%q is no unit of temperature; it is Cel, K or [degF]", e.Unit)
	case e.Low != nil && e.High != nil && *e.Low >= *e.High:
		return fault("low", "%v is not below %v, the highest", *e.Low, *e.High)
	case !(e.Reflected > -kelvin && e.Reflected < 5000):
		return fault("reflected", "%v °C is no temperature of surroundings", e.Reflected)
	case e.Keep.All < day:
		return fault("keep.all", "%v is shorter than a day", e.Keep.All)
	case e.Keep.Hourly < e.Keep.All:
		return fault("keep.hourly", "%v is shorter than %v, for which all are kept", e.Keep.Hourly, e.Keep.All)
	case e.Keep.Daily != 0 && e.Keep.Daily < e.Keep.Hourly:
		return fault("keep.daily", "%v is shorter than %v, for which one an hour is kept", e.Keep.Daily, e.Keep.Hourly)
	}
	if err := checkEmissivity(e.Emissivity); err != nil {
		return err
	}
	return e.checkRegions()
}

func (e *Eye) checkRegions() error {
	names := map[string]string{Whole: "the whole picture"}
	for _, own := range wholeSignals {
		names[own] = "a signal of the whole picture"
	}
	take := func(list string, i int, name, what string) error {
		if had := names[name]; had != "" {
			return fault(fmt.Sprintf("%s[%d].name", list, i), "%q is the name of %s already", name, had)
		}
		names[name] = what
		return nil
	}
	spots := map[string]bool{}
	for i := range e.Regions {
		r := &e.Regions[i]
		if err := r.check(e.Width, e.Height); err != nil {
			f := err.(*measure.Fault)
			return fault(fmt.Sprintf("regions[%d].%s", i, f.Field), "%s", f.Reason)
		}
		if err := take("regions", i, r.Name, "a region"); err != nil {
			return err
		}
		spots[r.Name] = r.Shape == Spot
	}
	for i := range e.Differences {
		d := &e.Differences[i]
		at := func(field string) string { return fmt.Sprintf("differences[%d].%s", i, field) }
		if err := site.CheckName(d.Name); err != nil {
			return fault(at("name"), "%s", err)
		}
		for field, region := range map[string]string{"of": d.Of, "less": d.Less} {
			if _, known := spots[region]; !known && region != Whole {
				return fault(at(field), "%s", site.Unknown("region", region, append(e.regionNames(), Whole)))
			}
		}
		switch {
		case d.Of == d.Less:
			return fault(at("less"), "is %s itself", d.Of)
		case d.What != "highest" && d.What != "mean":
			return fault(at("what"), "%s; it is highest or mean",
				site.Unknown("figure", d.What, []string{"highest", "mean"}))
		}
		if err := take("differences", i, d.Name, "a difference"); err != nil {
			return err
		}
	}
	return nil
}

func (e *Eye) regionNames() []string {
	names := make([]string, len(e.Regions))
	for i := range e.Regions {
		names[i] = e.Regions[i].Name
	}
	return names
}

// Fits tells why a frame is not one of this eye: nil or a *measure.Fault.
func (e *Eye) Fits(g *Grid) error {
	if e.Width != 0 && (g.Width != e.Width || g.Height != e.Height) {
		return fault("frame", "is %d × %d; those of this device are %d × %d", g.Width, g.Height, e.Width, e.Height)
	}
	return nil
}

// Fresh tells which regions and differences are not, or not the same, in a former eye: those whose signals can be told
// of frames that are there already. All are when the emissivity or what is reflected is another.
func (e *Eye) Fresh(former *Eye) (fresh Eye) {
	fresh = *e
	if former == nil {
		return fresh
	}
	fresh.Regions, fresh.Differences = nil, nil
	for i := range e.Regions {
		r := &e.Regions[i]
		known := false
		for k := range former.Regions {
			known = known || r.same(&former.Regions[k])
		}
		if !known {
			fresh.Regions = append(fresh.Regions, *r)
		}
	}
	for _, d := range e.Differences {
		known := false
		for _, o := range former.Differences {
			known = known || d == o
		}
		if !known {
			fresh.Differences = append(fresh.Differences, d)
		}
	}
	return fresh
}

// Seen gives a grid as it is in truth: corrected for the emissivity of the picture. It is the same grid where that is
// 1.
func (e *Eye) Seen(g *Grid) (*Grid, error) {
	if e.Emissivity == 1 {
		return g, nil
	}
	values := g.Values()
	for i := range values {
		values[i] = Correct(values[i], e.Emissivity, e.Reflected)
	}
	return ofNumbers(g.Width, g.Height, values, 3)
}
