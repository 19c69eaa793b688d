package record

import (
	"bytes"
	"context"
	"fmt"
	"net/http"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"jauntylark/api"
	"jauntylark/chart"
	"jauntylark/core/asset"
	"jauntylark/core/site"
	"jauntylark/pipeline/record"
	"jauntylark/server/web"
	"jauntylark/store/config"
)

// assetFilesOperations has the operations of this file answered.
func assetFilesOperations(v *web.Server) {
	web.Answer(v, api.AddPhoto, addPhoto)
	web.Answer(v, api.AddPaper, addPaper)
	web.Carry(v, api.RemoveAttachment, removeAttachment)
	web.AnswerFile(v, api.GetAttachment.Operation, serveAttachment)
	web.AnswerFile(v, api.GetLabel.Operation, serveLabel)
	web.AnswerFile(v, api.GetLabelPicture.Operation, serveLabel)
	web.AnswerFile(v, api.GetLabels.Operation, serveLabels)
}

func addPhoto(ctx context.Context, v *web.Server, in *api.Attaching) (asset.Attachment, error) {
	return record.AddPhoto(ctx, v.Pipeline, in.Asset, in.Name, in.RawBody, web.Who(ctx))
}

func addPaper(ctx context.Context, v *web.Server, in *api.Attaching) (asset.Attachment, error) {
	return record.AddPaper(ctx, v.Pipeline, in.Asset, in.Name, in.RawBody, web.Who(ctx))
}

func removeAttachment(ctx context.Context, v *web.Server, in *api.RemoveAttachmentIn) error {
	return record.RemoveAttachment(ctx, v.Pipeline, in.Asset, in.ID, web.Who(ctx))
}

// serveAttachment answers with a photo or a paper itself.
func serveAttachment(v *web.Server, c *echo.Context) error {
	id, err := strconv.ParseInt(c.Param("id"), 10, 64)
	if err != nil {
		return echo.ErrNotFound
	}
	small := c.QueryParam("small") == "true"
	a, err := config.Attachment(c.Request().Context(), v.Store, c.Param("asset"), id, small)
	if err != nil {
		return fmt.Errorf("%s has no photo or paper %d: %w", c.Param("asset"), id, err)
	}
	h := c.Response().Header()
	h.Set("Content-Security-Policy", "default-src 'none'; sandbox")
	h.Set("Cache-Control", "private, max-age=31536000, immutable")
	if a.Kind == asset.Paper {
		h.Set("Content-Disposition", fmt.Sprintf("attachment; filename=%q",
			site.NameFrom(strings.TrimSuffix(a.Name, ".pdf"))+".pdf"))
	} else if small {
		a.Type = http.DetectContentType(a.Body)
	}
	return web.Ranged(c, a.Type, a.Body)
}

// serveLabel answers with the QR label of an asset: label.svg or label.png.
func serveLabel(v *web.Server, c *echo.Context) error {
	labels, err := labelsOf(v, c, c.Param("asset"))
	if err != nil {
		return err
	}
	var out bytes.Buffer
	if strings.HasSuffix(c.Request().URL.Path, ".png") {
		err = chart.LabelPNG(&out, labels[0])
		return web.Blob(c, "image/png", out.Bytes(), err)
	}
	err = chart.LabelSVG(&out, labels[0])
	return web.Blob(c, "image/svg+xml", out.Bytes(), err)
}

// serveLabels answers with a sheet of labels to print, of some assets or all.
func serveLabels(v *web.Server, c *echo.Context) error {
	labels, err := labelsOf(v, c, c.QueryParams()["asset"]...)
	if err != nil {
		return err
	}
	var out bytes.Buffer
	err = chart.LabelSheet(&out, labels)
	c.Response().Header().Set("Content-Disposition", `attachment; filename="labels.pdf"`)
	return web.Blob(c, "application/pdf", out.Bytes(), err)
}

// labelsOf gives the labels of assets; of all that are in use when none is named.
func labelsOf(v *web.Server, c *echo.Context, names ...string) (labels []chart.Label, err error) {
	all, err := config.Assets(c.Request().Context(), v.Store)
	if err != nil {
		return nil, err
	}
	if len(names) == 0 {
		for i := range all {
			if all[i].Condition != asset.Retired {
				names = append(names, all[i].Name)
			}
		}
	}
	for _, name := range names {
		a, err := findAsset(v, all, name)
		if err != nil {
			return nil, err
		}
		var place []string
		for _, outer := range a.Place(all) {
			place = append(place, outer.Called())
		}
		labels = append(labels, chart.Label{Link: consoleAddress(v, c.Request()) + "/assets/" + a.Name,
			Title: a.Called(), Place: strings.Join(place, " · ")})
	}
	if len(labels) == 0 {
		return nil, web.Wrong("asset", "there is no asset to make a label of")
	}
	return labels, nil
}

// consoleAddress is how the console is reached: as the service was told, or as the request came.
func consoleAddress(v *web.Server, r *http.Request) string {
	if v.URL != "" {
		return strings.TrimRight(v.URL, "/")
	}
	scheme := "http://"
	if v.Secure || r.TLS != nil {
		scheme = "https://"
	}
	return scheme + r.Host
}
