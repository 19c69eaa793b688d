package cli

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"mime/multipart"
	"net/http"
	"net/textproto"
	"net/url"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"jauntylark/core/frame"
	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/server"
)

func frameCommand() *cobra.Command {
	return group("frame", "Thermal frames: grids of temperatures", frameListCommand(), frameSendCommand(), frameSaveCommand(), frameEyeCommand())
}

func framesPath(device string) string {
	return "/api/v1/devices/" + url.PathEscape(device) + "/frames"
}

// stretchFlags are since and until.
func stretchFlags(f *pflag.FlagSet) {
	f.String("since", "", "from then on: a time (RFC 3339), or how long ago; a day back when left out")
	f.String("until", "", "up to then; now when left out")
}

func readStretch(f *pflag.FlagSet, q url.Values) error {
	for _, name := range []string{"since", "until"} {
		if text, _ := f.GetString(name); text != "" {
			at, err := moment(text)
			if err != nil {
				return misused("--%s: %w", name, err)
			}
			q.Set(name, at.String())
		}
	}
	return nil
}

func frameListCommand() *cobra.Command {
	c := &cobra.Command{Use: "list DEVICE", Short: "The frames of a stretch", Args: exactly("DEVICE"), ValidArgsFunction: deviceNames, Example: "  jaunty frame list switchboard-eye --since 7d --most 20"}
	stretchFlags(c.Flags())
	most := c.Flags().Int("most", 50, "so many at most, spread over the stretch")
	c.RunE = func(c *cobra.Command, args []string) error {
		q := url.Values{"most": {strconv.Itoa(*most)}}
		if err := readStretch(c.Flags(), q); err != nil {
			return err
		}
		list, err := fetch[server.FrameList](c, framesPath(args[0])+"?"+q.Encode())
		if err != nil {
			return err
		}
		return show(c, list, func(w io.Writer) {
			rows := [][]string{}
			for _, f := range list.Frames {
				rows = append(rows, []string{clock(&f.At), measure.Figure(f.Low, "Cel"), measure.Figure(f.High, "Cel"), strconv.Itoa(f.Doubtful), measure.Bytes(int64(f.Size)), map[bool]string{true: "yes"}[f.Pictured]})
			}
			table(w, "No frames in that stretch; 'jaunty frame send DEVICE FILE' sends one.", []string{"AT", "LOWEST", "HIGHEST", "DOUBTFUL PIXELS", "TAKES", "PICTURE"}, rows)
			if len(list.Frames) < list.All {
				fmt.Fprintf(w, "%d of %d; --most shows more.\n", len(list.Frames), list.All)
			}
		})
	}
	return c
}

// kindsOfFrames are the content types by the file's ending.
var kindsOfFrames = map[string]string{".csv": frame.CSV, ".json": frame.JSON, ".cbor": frame.CBOR, ".pgm": frame.PGM}

func frameSendCommand() *cobra.Command {
	c := &cobra.Command{Use: "send DEVICE FILE", Short: "Send a frame as a device would: CSV, JSON, CBOR or PGM; - is standard input", Args: exactly("DEVICE", "FILE"), ValidArgsFunction: deviceNames,
		Example: "  jaunty frame send switchboard-eye frame.pgm --at 10m\n  jaunty frame send switchboard-eye frame.csv --picture photo.jpg"}
	at := c.Flags().String("at", "", "when it was taken, if the frame does not say: a time (RFC 3339), or how long ago")
	picture := c.Flags().String("picture", "", "a visible-light picture beside it: PNG, JPEG or WebP")
	c.RunE = func(c *cobra.Command, args []string) error {
		body, kind, err := frameBody(c, args[1], *picture)
		if err != nil {
			return err
		}
		path := "/api/v1/intake/frames"
		if *at != "" {
			then, err := moment(*at)
			if err != nil {
				return misused("--at: %w", err)
			}
			path += "?at=" + url.QueryEscape(then.String())
		}
		s, err := service()
		if err != nil {
			return err
		}
		if err := s.SendAs(c.Context(), path, kind, args[0], body); err != nil {
			return err
		}
		return show(c, map[string]string{"device": args[0]}, func(w io.Writer) { fmt.Fprintf(w, "The frame is stored with %s.\n", args[0]) })
	}
	return c
}

// frameBody reads a frame, and puts it into a form beside its picture.
func frameBody(c *cobra.Command, file, picture string) (body []byte, kind string, err error) {
	if file == "-" {
		body, err = io.ReadAll(io.LimitReader(c.InOrStdin(), 32<<20))
	} else {
		body, err = os.ReadFile(file)
	}
	if err != nil {
		return nil, "", err
	}
	kind = kindsOfFrames[filepath.Ext(file)]
	if kind == "" {
		kind = "application/octet-stream" // the service looks what it is
	}
	if picture == "" {
		return body, kind, nil
	}
	beside, err := os.ReadFile(picture)
	if err != nil {
		return nil, "", err
	}
	var form bytes.Buffer
	w := multipart.NewWriter(&form)
	for _, part := range []struct {
		name, kind string
		body       []byte
	}{{"frame", kind, body}, {"picture", http.DetectContentType(beside), beside}} {
		out, err := w.CreatePart(textproto.MIMEHeader{"Content-Disposition": {fmt.Sprintf(`form-data; name=%q; filename=%[1]q`, part.name)}, "Content-Type": {part.kind}})
		if err != nil {
			return nil, "", err
		}
		if _, err := out.Write(part.body); err != nil {
			return nil, "", err
		}
	}
	err = w.Close()
	return form.Bytes(), w.FormDataContentType(), err
}

func frameSaveCommand() *cobra.Command {
	c := &cobra.Command{Use: "save DEVICE FILE", Short: "Write a frame into a file: .png, .csv, .json, .cbor, .pgm, .jpg (its picture); .gif writes a stretch", Args: exactly("DEVICE", "FILE"), ValidArgsFunction: deviceNames,
		Example: `  jaunty frame save switchboard-eye now.png --regions
  jaunty frame save switchboard-eye then.csv --at 3d
  jaunty frame save switchboard-eye change.png --against 7d
  jaunty frame save switchboard-eye week.gif --since 7d --palette dusk`}
	f := c.Flags()
	stretchFlags(f)
	f.String("at", "", "the frame nearest to then; the newest when left out")
	f.String("against", "", "what has changed since that frame: a time, how long ago, or reference")
	f.String("palette", "", strings.Join(frame.PaletteNames(), ", "))
	f.String("low", "", "°C at which the palette begins; the frame's lowest when left out")
	f.String("high", "", "°C at which it ends")
	f.Bool("regions", false, "draw the regions that are looked at")
	f.Bool("as-sent", false, "without correction for emissivity")
	f.Int("width", 0, "pixels of the picture part, about")
	completeFrom(c, "palette", frame.PaletteNames()...)
	c.RunE = func(c *cobra.Command, args []string) error {
		path, err := frameFilePath(f, args[0], filepath.Ext(args[1]))
		if err != nil {
			return err
		}
		return download(c, path, args[1])
	}
	return c
}

// frameFilePath is where a frame, or a stretch of them, is to be had as a file.
func frameFilePath(f *pflag.FlagSet, device, ending string) (string, error) {
	q := url.Values{}
	for _, name := range []string{"palette", "low", "high"} {
		if text, _ := f.GetString(name); text != "" {
			q.Set(name, text)
		}
	}
	for name, as := range map[string]string{"regions": "regions", "as-sent": "as_sent"} {
		if on, _ := f.GetBool(name); on {
			q.Set(as, "true")
		}
	}
	if n, _ := f.GetInt("width"); n != 0 {
		q.Set("width", strconv.Itoa(n))
	}
	name := "newest"
	for flag, put := range map[string]func(string){"at": func(t string) { name = t }, "against": func(t string) { q.Set("against", t) }} {
		text, _ := f.GetString(flag)
		if text == "" {
			continue
		}
		if flag == "against" && text == "reference" {
			put(text)
			continue
		}
		at, err := moment(text)
		if err != nil {
			return "", misused("--%s: %w", flag, err)
		}
		put(at.String())
	}
	if ending == ".gif" {
		if err := readStretch(f, q); err != nil {
			return "", err
		}
		return "/api/v1/devices/" + url.PathEscape(device) + "/strip.gif?" + q.Encode(), nil
	}
	if !slices.Contains([]string{".png", ".csv", ".json", ".cbor", ".pgm", ".jpg"}, ending) {
		return "", misused("FILE does not end in .png, .csv, .json, .cbor, .pgm, .jpg or .gif")
	}
	return framesPath(device) + "/" + url.PathEscape(name) + ending + "?" + q.Encode(), nil
}

func frameEyeCommand() *cobra.Command {
	c := &cobra.Command{Use: "eye DEVICE", Short: "How the frames of a device are read, and what is looked at in them; with flags: change it", Args: exactly("DEVICE"), ValidArgsFunction: deviceNames,
		Long: `How the frames of a device are read, and what is looked at in them. Places are in pixels from the left and upper edge.
A new region tells of the frames that are there already; what has been told of a region that is changed stays.`,
		Example: `  jaunty frame eye switchboard-eye
  jaunty frame eye switchboard-eye --emissivity 0.95 --reflected 20 --span -20..300
  jaunty frame eye switchboard-eye --region 'terminal-2 ellipse 12,6 18,12 over 60' --region 'busbar spot 16,3'
  jaunty frame eye switchboard-eye --difference 'terminal-2-over-terminal-1 terminal-2 less terminal-1'
  jaunty frame eye switchboard-eye --drop busbar --reference 7d`}
	f := c.Flags()
	f.Float64("emissivity", 0, "of what is seen, 0.05 to 1")
	f.Float64("reflected", 0, "°C: temperature of what is reflected")
	f.Float64("scale", 0, "degrees a count, of counts whose sender does not say")
	f.Float64("offset", 0, "degrees at a count of 0")
	f.String("unit", "", "of what is sent: Cel, K or [degF]")
	f.String("span", "", "°C: what the camera can truly give, as LOW..HIGH; '' for not known")
	f.StringArray("region", nil, "'NAME SHAPE X,Y ... [over LIMIT] [emissivity E]'; shapes are spot, rectangle, ellipse, polygon; may be repeated")
	f.StringArray("difference", nil, "'NAME REGION less REGION [mean]'; picture is the whole picture; may be repeated")
	f.StringSlice("drop", nil, "names of regions and differences to take out")
	f.String("reference", "", "the frame that others are compared with: a time, or how long ago; '' for none")
	f.String("keep", "", "for how long frames are kept: 'ALL HOURLY DAILY', like '30d 365d 0s'")
	c.RunE = func(c *cobra.Command, args []string) error {
		path := "/api/v1/devices/" + url.PathEscape(args[0]) + "/eye"
		e, err := fetch[frame.Eye](c, path)
		if err != nil {
			return err
		}
		changed := false
		f.Visit(func(flag *pflag.Flag) { changed = changed || flag.Name != "json" })
		if changed {
			if err := readEye(f, &e); err != nil {
				return err
			}
			if err := nearestReference(c, f, args[0], &e); err != nil {
				return err
			}
			s, err := service()
			if err != nil {
				return err
			}
			if err := s.Do(c.Context(), http.MethodPut, path, e, &e); err != nil {
				return err
			}
		}
		return show(c, e, func(w io.Writer) { printEye(w, args[0], &e) })
	}
	return c
}

// readEye takes what the flags say.
func readEye(f *pflag.FlagSet, e *frame.Eye) (err error) {
	text := func(name string) string { v, _ := f.GetString(name); return v }
	f.Visit(func(flag *pflag.Flag) {
		var bad error
		switch flag.Name {
		case "emissivity":
			e.Emissivity, bad = f.GetFloat64("emissivity")
		case "reflected":
			e.Reflected, bad = f.GetFloat64("reflected")
		case "scale":
			e.Scale, bad = f.GetFloat64("scale")
		case "offset":
			e.Offset, bad = f.GetFloat64("offset")
		case "unit":
			e.Unit = measure.Unit(text("unit"))
		case "span":
			e.Low, e.High = nil, nil
			if text("span") != "" {
				var low, high float64
				if _, bad = fmt.Sscanf(strings.ReplaceAll(text("span"), "..", " "), "%g %g", &low, &high); bad == nil {
					e.Low, e.High = &low, &high
				}
			}
		case "region":
			bad = addRegions(f, e)
		case "difference":
			bad = addDifferences(f, e)
		case "keep":
			bad = readKeep(text("keep"), e)
		}
		if bad != nil {
			err = errors.Join(err, misused("--%s: %w", flag.Name, bad))
		}
	})
	drop, _ := f.GetStringSlice("drop")
	for _, name := range drop {
		regions, differences := len(e.Regions), len(e.Differences)
		e.Regions = slices.DeleteFunc(e.Regions, func(r frame.Region) bool { return r.Name == name })
		e.Differences = slices.DeleteFunc(e.Differences, func(d frame.Contrast) bool { return d.Name == name })
		if len(e.Regions) == regions && len(e.Differences) == differences {
			var known []string
			for _, r := range e.Regions {
				known = append(known, r.Name)
			}
			return misused("--drop: %s", site.Unknown("region", name, known))
		}
	}
	return err
}

func addRegions(f *pflag.FlagSet, e *frame.Eye) error {
	texts, _ := f.GetStringArray("region")
	for _, text := range texts {
		r, err := frame.ParseRegion(text)
		if err != nil {
			return err
		}
		if i := slices.IndexFunc(e.Regions, func(o frame.Region) bool { return o.Name == r.Name }); i >= 0 {
			e.Regions[i] = r
		} else {
			e.Regions = append(e.Regions, r)
		}
	}
	return nil
}

func addDifferences(f *pflag.FlagSet, e *frame.Eye) error {
	texts, _ := f.GetStringArray("difference")
	for _, text := range texts {
		words := strings.Fields(text)
		if len(words) < 4 || len(words) > 5 || words[2] != "less" {
			return fmt.Errorf("%q is not 'NAME REGION less REGION [mean]'", text)
		}
		d := frame.Contrast{Name: words[0], Of: words[1], Less: words[3], What: "highest"}
		if len(words) == 5 {
			d.What = words[4]
		}
		e.Differences = append(slices.DeleteFunc(e.Differences, func(o frame.Contrast) bool { return o.Name == d.Name }), d)
	}
	return nil
}

func readKeep(text string, e *frame.Eye) (err error) {
	words := strings.Fields(text)
	if len(words) != 3 {
		return fmt.Errorf("%q is not 'ALL HOURLY DAILY', like '30d 365d 0s'", text)
	}
	for i, into := range []*measure.Duration{&e.Keep.All, &e.Keep.Hourly, &e.Keep.Daily} {
		if *into, err = measure.ParseDuration(words[i]); err != nil {
			return err
		}
	}
	return nil
}

// nearestReference finds the frame that lies nearest to the time that is asked for as the reference.
func nearestReference(c *cobra.Command, f *pflag.FlagSet, device string, e *frame.Eye) error {
	if !f.Changed("reference") {
		return nil
	}
	text, _ := f.GetString("reference")
	if e.Reference = nil; text == "" {
		return nil
	}
	at, err := moment(text)
	if err != nil {
		return misused("--reference: %w", err)
	}
	s, err := service()
	if err != nil {
		return err
	}
	answer, err := s.Fetch(c.Context(), framesPath(device)+"/"+url.PathEscape(at.String())+".csv", nil)
	if err != nil {
		return err
	}
	defer answer.Body.Close()
	e.Reference = new(measure.Instant)
	return e.Reference.UnmarshalText([]byte(answer.Header.Get("Jaunty-Frame")))
}

func printEye(w io.Writer, device string, e *frame.Eye) {
	if e.Width == 0 {
		fmt.Fprintf(w, "%s has sent no frame yet.\n", device)
	} else {
		fmt.Fprintf(w, "Frames of %s are %d × %d.\n", device, e.Width, e.Height)
	}
	fmt.Fprintf(w, "Emissivity %v", e.Emissivity)
	if e.Emissivity != 1 {
		fmt.Fprintf(w, ", reflected %s", measure.Figure(e.Reflected, "Cel"))
	}
	if e.Low != nil && e.High != nil {
		fmt.Fprintf(w, "; span %v to %s", *e.Low, measure.Figure(*e.High, "Cel"))
	}
	fmt.Fprintf(w, ".\nAll are kept %s, then one an hour until %s, then one a day %s.\n", e.Keep.All, e.Keep.Hourly, forLong(e.Keep.Daily))
	if e.Reference != nil {
		fmt.Fprintf(w, "The reference is of %s.\n", clock(e.Reference))
	}
	fmt.Fprintln(w)
	rows := [][]string{}
	for i := range e.Regions {
		r := &e.Regions[i]
		name, rest, _ := strings.Cut(r.String(), " ")
		rows = append(rows, []string{name, rest, device + "/" + r.Signal()})
	}
	for _, d := range e.Differences {
		rows = append(rows, []string{d.Name, d.Of + " less " + d.Less + " (" + d.What + ")", device + "/" + d.Name})
	}
	table(w, "No regions are looked at by themselves; add one with --region.", []string{"REGION", "WHERE", "SIGNAL"}, rows)
}
