"""Opens a USD stage with OpenUSD's own library and prints what is in it as JSON: what its validators find,
attributes that their schemas do not know, lights with their directions, the light of the dome on level
ground, the camera, and volumes.

    read_usd.py STAGE
"""
import json
import math
import sys
from pathlib import Path

import numpy
import OpenEXR
from pxr import Gf, Sdf, Usd, UsdGeom, UsdLux, UsdValidation, UsdVol

PLAIN = ("xformOp:", "field:", "primvars:")


def findings(stage: Usd.Stage) -> list:
    registry = UsdValidation.ValidationRegistry()
    context = UsdValidation.ValidationContext(registry.GetOrLoadAllValidators())
    found = [f"{e.GetName()}: {e.GetMessage()}" for e in context.Validate(stage)]
    for prim in stage.Traverse():
        known = prim.GetPrimDefinition().GetPropertyNames()
        for prop in prim.GetAuthoredProperties():
            name = prop.GetName()
            if prop.IsCustom() or name.startswith(PLAIN):
                continue
            if name not in known:
                found.append(f"{prim.GetPath()}.{name}: no schema has it")
                continue
            allowed = prim.GetPrimDefinition().GetPropertyMetadata(name, "allowedTokens")
            if allowed and isinstance(prop, Usd.Attribute) and prop.Get() not in allowed:
                found.append(f"{prim.GetPath()}.{name}: {prop.Get()} is none of {allowed}")
    return found


def along(prim, local) -> list:
    matrix = UsdGeom.XformCache().GetLocalToWorldTransform(prim)
    return list(matrix.TransformDir(Gf.Vec3d(*local)).GetNormalized())


def dome_on_level_ground(path: str) -> float:
    """Illuminance of level ground by a latlong map with its first row up."""
    channels = OpenEXR.File(path, separate_channels=True).channels()
    luminance = sum(w * channels[c].pixels.astype(float) for c, w in zip("RGB", (0.2126, 0.7152, 0.0722)))
    height, width = luminance.shape
    edges = numpy.sin((0.5 - numpy.arange(height + 1) / height) * math.pi)
    # The integral of sin(e) cos(e) over a row.
    rows = numpy.clip(edges[:-1], 0, None) ** 2 / 2 - numpy.clip(edges[1:], 0, None) ** 2 / 2
    return float((luminance * rows[:, None]).sum() * 2 * math.pi / width)


def main() -> None:
    path = sys.argv[1]
    stage = Usd.Stage.Open(path)
    out = {
        "findings": findings(stage),
        "up": UsdGeom.GetStageUpAxis(stage),
        "metres": UsdGeom.GetStageMetersPerUnit(stage),
        "lights": [],
        "volumes": [],
        "metadata": stage.GetDefaultPrim().GetCustomData(),
    }
    for prim in stage.Traverse():
        if prim.IsA(UsdLux.DomeLight):
            light = UsdLux.DomeLight(prim)
            texture = light.GetTextureFileAttr().Get()
            out["dome"] = {
                "format": light.GetTextureFormatAttr().Get(),
                "gain": light.GetIntensityAttr().Get() * 2 ** light.GetExposureAttr().Get(),
                "turned": not UsdGeom.Xformable(prim).GetLocalTransformation() == Gf.Matrix4d(1),
                "level_ground_lx": dome_on_level_ground(texture.resolvedPath)
                if Path(texture.resolvedPath).exists() else None,
            }
        if prim.IsA(UsdLux.DistantLight):
            light = UsdLux.DistantLight(prim)
            # It shines along -z: it stands where +z points.
            out["lights"].append({
                "name": prim.GetName(),
                "toward": along(prim, (0, 0, 1)),
                "normalized": light.GetNormalizeAttr().Get(),
                "lux": light.GetIntensityAttr().Get() * 2 ** light.GetExposureAttr().Get(),
                "colour": list(light.GetColorAttr().Get()),
                "angle": light.GetAngleAttr().Get(),
            })
        if prim.IsA(UsdGeom.Camera):
            camera = UsdGeom.Camera(prim)
            lens = camera.GetCamera(0)
            out["camera"] = {
                "toward": along(prim, (0, 0, -1)),
                "up": along(prim, (0, 1, 0)),
                "at": list(UsdGeom.XformCache().GetLocalToWorldTransform(prim).ExtractTranslation()),
                "horizontal_deg": lens.GetFieldOfView(Gf.Camera.FOVHorizontal),
                "vertical_deg": lens.GetFieldOfView(Gf.Camera.FOVVertical),
                "exposure": camera.ComputeLinearExposureScale(),
            }
        if prim.IsA(UsdVol.Volume):
            volume = UsdVol.Volume(prim)
            for name, target in volume.GetFieldPaths().items():
                field = stage.GetPrimAtPath(target)
                asset = UsdVol.OpenVDBAsset(field)
                out["volumes"].append({
                    "field": name,
                    "file": asset.GetFilePathAttr().Get().resolvedPath,
                    "grid": asset.GetFieldNameAttr().Get(),
                    "type": asset.GetFieldDataTypeAttr().Get(),
                    "extent": [list(v) for v in volume.GetExtentAttr().Get()],
                    "extinction": field.GetAttribute("tenter:extinctionPerMetre").Get(),
                })
    print(json.dumps(out, default=str))


main()
