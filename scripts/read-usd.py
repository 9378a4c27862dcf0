"""Reads USD files with the format's reference reader, and says as JSON what is in them at some time codes.

read-usd.py FILE TIME…: what the stage says of itself, what its validators complain of, and of every thing where it is,
whether it is seen, its colours and all its corners, in metres from the origin. Without a time only what is said at once.
"""
import json
import sys

from pxr import Gf, Usd, UsdGeom, UsdSkel, UsdValidation


def complaints(stage):
    registry = UsdValidation.ValidationRegistry()
    found = []
    for error in UsdValidation.ValidationContext(registry.GetOrLoadAllValidators()).Validate(stage):
        sites = ', '.join(str(site.GetPrim().GetPath()) for site in error.GetSites() if site.IsPrim())
        found.append(f'{error.GetName()}: {error.GetMessage()} {sites}')
    return found


def numbers(rows):
    return [[float(x) for x in row] for row in rows]


def corners(prim, cache, time):
    """The corners of a mesh at a time code, from the origin."""
    points = UsdGeom.Mesh(prim).GetPointsAttr().Get(time)
    matrix = UsdGeom.Imageable(prim).ComputeLocalToWorldTransform(time)
    skinning = cache.GetSkinningQuery(prim)
    if skinning and skinning.HasJointInfluences():
        skeleton = UsdSkel.BindingAPI(prim).GetInheritedSkeleton()
        query = cache.GetSkelQuery(skeleton)
        moved = query.ComputeSkinningTransforms(time)
        matrix = UsdGeom.Imageable(skeleton.GetPrim()).ComputeLocalToWorldTransform(time)
        if skinning.IsRigidlyDeformed():
            own = skinning.ComputeSkinnedTransform(moved, time)
            points = [own.Transform(Gf.Vec3d(point)) for point in points]
        elif not skinning.ComputeSkinnedPoints(moved, points, time):
            raise SystemExit(f'{prim.GetPath()} cannot be skinned')
    return [[float(x) for x in matrix.Transform(Gf.Vec3d(point))] for point in points]


def pose(matrix):
    where = Gf.Transform(matrix)
    turn = where.GetRotation().GetQuat()
    return [*where.GetTranslation(), *turn.GetImaginary(), turn.GetReal(), *where.GetScale()]


def colours(prim, time):
    primvar = UsdGeom.PrimvarsAPI(prim).FindPrimvarWithInheritance('displayColor')
    return numbers(primvar.ComputeFlattened(time)) if primvar and primvar.HasValue() else None


def meshes(prim):
    every = Usd.PrimRange(prim, Usd.TraverseInstanceProxies(Usd.PrimDefaultPredicate))
    return [one for one in every if one.IsA(UsdGeom.Mesh)]


def thing(prim, cache, times):
    found = {'poses': [], 'seen': [], 'meshes': []}
    for time in times:
        found['poses'].append(pose(UsdGeom.Imageable(prim).ComputeLocalToWorldTransform(time)))
        found['seen'].append(UsdGeom.Imageable(prim).ComputeVisibility(time) != 'invisible')
    for mesh in meshes(prim):
        skeleton = UsdSkel.BindingAPI(mesh).GetInheritedSkeleton()
        if skeleton:
            found['joints'] = len(cache.GetSkelQuery(skeleton).GetJointOrder())
        found['meshes'].append({
            'corners': [corners(mesh, cache, time) for time in times],
            'colours': [colours(mesh, time) for time in times],
            'triangles': len(UsdGeom.Mesh(mesh).GetFaceVertexCountsAttr().Get()),
        })
    return found


def crowd(prim, times):
    instancer = UsdGeom.PointInstancer(prim)
    found = {'things': [], 'kinds': [int(kind) for kind in instancer.GetProtoIndicesAttr().Get()], 'forms': []}
    for target in instancer.GetPrototypesRel().GetTargets():
        form = prim.GetStage().GetPrimAtPath(target)
        if not times:
            break
        found['forms'].append([{
            'name': form.GetName(),
            'colours': colours(mesh, times[0]),
            'corners': numbers(UsdGeom.Mesh(mesh).GetPointsAttr().Get()),
        } for mesh in meshes(form)])
    for time in times:
        # Orientations with the precision that they have, and where jumps are not seen.
        matrices = instancer.ComputeInstanceTransformsAtTime(
            time, time, UsdGeom.PointInstancer.ExcludeProtoXform, UsdGeom.PointInstancer.IgnoreMask)
        seen = instancer.ComputeMaskAtTime(time) or [True] * len(matrices)
        found['things'].append({
            'poses': [pose(matrix) for matrix in matrices],
            'seen': [bool(one) for one in seen],
            'colours': colours(prim, time),
        })
    return found


def main(path, times):
    stage = Usd.Stage.Open(path)
    if not stage:
        raise SystemExit(f'{path} cannot be read')
    told = {
        'complaints': complaints(stage),
        'first': stage.GetStartTimeCode(), 'last': stage.GetEndTimeCode(), 'fps': stage.GetTimeCodesPerSecond(),
        'metres': UsdGeom.GetStageMetersPerUnit(stage), 'up': str(UsdGeom.GetStageUpAxis(stage)),
        'outputs': {}, 'lines': {}, 'camera': None,
    }
    cache = UsdSkel.Cache()
    for prim in stage.Traverse():
        if prim.IsA(UsdSkel.Root):
            cache.Populate(UsdSkel.Root(prim), Usd.TraverseInstanceProxies(Usd.PrimDefaultPredicate))
    name = lambda prim: prim.GetDisplayName() or prim.GetName()
    for output in stage.GetDefaultPrim().GetChildren():
        if output.IsA(UsdGeom.BasisCurves):
            curves = UsdGeom.BasisCurves(output)
            told['lines'][name(output)] = {
                'counts': [int(count) for count in curves.GetCurveVertexCountsAttr().Get()],
                'points': [numbers(curves.GetPointsAttr().Get(time)) for time in times],
            }
        elif output.IsA(UsdGeom.Camera):
            camera = UsdGeom.Camera(output).GetCamera(times[0] if times else Usd.TimeCode.EarliestTime())
            matrix = camera.transform
            told['camera'] = {
                'at': list(matrix.ExtractTranslation()),
                'ahead': list(matrix.TransformDir(Gf.Vec3d(0, 0, -1))),
                'wide': camera.horizontalAperture / camera.focalLength,
                'aspect': camera.aspectRatio,
            }
        elif output.GetTypeName() == 'Xform':
            all_of = {'things': {}, 'crowd': None}
            for prim in output.GetChildren():
                if prim.IsA(UsdGeom.PointInstancer):
                    all_of['crowd'] = crowd(prim, times)
                else:
                    all_of['things'][name(prim)] = thing(prim, cache, times)
            told['outputs'][name(output)] = all_of
    json.dump(told, sys.stdout)


if __name__ == '__main__':
    main(sys.argv[1], [float(time) for time in sys.argv[2:]])
