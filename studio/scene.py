"""The training room, the phone-like camera and the renderer (VTK, off screen)."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

import numpy as np
import vtk
from numpy.typing import NDArray
from vtk.util.numpy_support import numpy_to_vtk, numpy_to_vtkIdTypeArray, vtk_to_numpy

Array = NDArray[np.float64]
WIDTH, HEIGHT = 1280, 720


class Pinhole:
    """What a camera does with points: somewhere, looking at something, with a focal length and a little barrel distortion."""

    aim_m: tuple[float, float, float]
    focal_px: float
    roll_deg: float
    size: tuple[int, int]
    k1: float

    @property
    def position(self) -> Array:
        """Where the camera is (3,), m."""
        raise NotImplementedError

    def axes(self) -> Array:
        """Rows: image right, image down, viewing direction (world)."""
        look = np.array(self.aim_m) - self.position
        look /= np.linalg.norm(look)
        right = np.cross(look, [0, 0, 1.0])
        right /= np.linalg.norm(right)
        down = np.cross(look, right)
        r = np.radians(self.roll_deg)
        return np.stack([np.cos(r) * right + np.sin(r) * down, np.cos(r) * down - np.sin(r) * right, look])

    @property
    def centre(self) -> Array:
        """Principal point (2,), px."""
        return (np.array(self.size) - 1) / 2

    def matrix(self) -> Array:
        """3 x 4 projection without distortion, metres to pixels, pixel (0, 0) at the centre of the top-left pixel."""
        k = np.array([[self.focal_px, 0, self.centre[0]], [0, self.focal_px, self.centre[1]], [0, 0, 1]])
        r = self.axes()
        return k @ np.c_[r, -r @ self.position]

    def project(self, points: Array) -> Array:
        """Pixels (..., 2) of world points (..., 3), distorted as the picture is."""
        q = np.c_[points.reshape(-1, 3), np.ones(points.reshape(-1, 3).shape[0])] @ self.matrix().T
        return self.distorted(q[:, :2] / q[:, 2:]).reshape(*points.shape[:-1], 2)

    def distorted(self, pixels: Array) -> Array:
        """Where a real lens shows what an ideal one shows at pixels (N, 2)."""
        away = (pixels - self.centre) / self.focal_px
        return self.centre + self.focal_px * away * (1 + self.k1 * (away**2).sum(axis=-1, keepdims=True))

    def undistorted_grid(self) -> NDArray[np.float32]:
        """For every pixel of the picture (H, W, 2): where the ideal picture shows the same."""
        width, height = self.size
        wanted = np.stack(np.meshgrid(np.arange(width), np.arange(height)), axis=-1).reshape(-1, 2).astype(float)
        ideal = wanted.copy()
        for _ in range(6):
            ideal += wanted - self.distorted(ideal)
        return ideal.reshape(height, width, 2).astype(np.float32)


@dataclass(frozen=True)
class Camera(Pinhole):
    """On a tripod about the subject; azimuth 0 looks at the subject's front, 90 at the left side, degrees; metres."""

    azimuth_deg: float
    distance_m: float
    height_m: float
    aim_m: tuple[float, float, float]
    focal_px: float = 1020.0
    roll_deg: float = 0.0
    size: tuple[int, int] = (WIDTH, HEIGHT)
    k1: float = 0.0

    def shaken(self, t: float, sway_m: float, seed: int) -> Camera:
        """The same camera held by hand, at time t: a few slow sways and turns of about `sway_m`."""
        rng = np.random.default_rng(seed)
        phase, rate = rng.uniform(0, 2 * np.pi, 4), rng.uniform(0.5, 1.6, 4)
        sway = np.sin(2 * np.pi * rate * t * 0.35 + phase) * sway_m
        aim = (self.aim_m[0] + sway[0] * 0.6, self.aim_m[1] + sway[0] * 0.6, self.aim_m[2] + sway[1] * 0.5)
        return replace(self, height_m=self.height_m + 0.4 * sway[2], aim_m=aim, roll_deg=self.roll_deg + 12 * sway[3])

    @property
    def position(self) -> Array:
        a = np.radians(self.azimuth_deg)
        return np.array([self.aim_m[0] + self.distance_m * np.sin(a), self.aim_m[1] - self.distance_m * np.cos(a), self.height_m])


@dataclass(frozen=True)
class Phone(Pinhole):
    """A phone somewhere in the room, which may be moved while it looks; metres."""

    place_m: tuple[float, float, float]
    aim_m: tuple[float, float, float]
    focal_px: float
    roll_deg: float = 0.0
    size: tuple[int, int] = (WIDTH, HEIGHT)
    k1: float = 0.0

    @property
    def position(self) -> Array:
        return np.array(self.place_m)


def texture(rgb: NDArray[np.uint8]) -> vtk.vtkTexture:
    image = vtk.vtkImageData()
    image.SetDimensions(rgb.shape[1], rgb.shape[0], 1)
    image.GetPointData().SetScalars(numpy_to_vtk(np.ascontiguousarray(rgb[::-1]).reshape(-1, 3), deep=True))
    out = vtk.vtkTexture()
    out.SetInputData(image)
    out.InterpolateOn()
    out.MipmapOn()
    return out


def boards(rng: np.random.Generator, low: list[int], high: list[int]) -> NDArray[np.uint8]:
    """Horizontal painted boards, darker below."""
    img = np.empty((900, 1800, 3))
    img[:520], img[520:] = high, low
    for row in range(0, 900, 60):
        img[row : row + 60] *= rng.uniform(0.94, 1.04)
        img[row : row + 3] *= 0.72
    grain = rng.normal(0, 3.5, (900, 60)).repeat(30, axis=1)
    return np.clip(img + grain[..., None] + rng.normal(0, 2, img.shape), 0, 255).astype(np.uint8)


def rubber(rng: np.random.Generator, base: list[int]) -> NDArray[np.uint8]:
    """Speckled mat with tile seams."""
    img = np.tile(np.array(base, float), (1024, 1024, 1)) + rng.normal(0, 9, (1024, 1024, 1))
    specks = rng.random((1024, 1024)) < 0.012
    img[specks] += rng.uniform(20, 90, (int(specks.sum()), 1))
    img[::256] *= 0.6
    img[:, ::256] *= 0.6
    return np.clip(img, 0, 255).astype(np.uint8)


class Room:
    """One renderer with the still room, a moving body and a moving bar."""

    def __init__(
        self, camera: Pinhole, look: dict[str, list[int]], seed: int, plinth_m: float = 0.95, mirror: bool = False, window: bool = False,
        samples: int = 4,
    ) -> None:  # fmt: skip
        self.rng, self.look, self.camera, self.plinth_m = np.random.default_rng(seed), look, camera, plinth_m
        self.mirror, self.bright_window = mirror, window
        self.renderer = vtk.vtkRenderer()
        self.renderer.SetBackground(0.75, 0.79, 0.8)
        self.window = vtk.vtkRenderWindow()
        self.window.SetOffScreenRendering(1)
        self.window.SetSize(*camera.size)
        self.window.SetMultiSamples(samples)
        self.window.AddRenderer(self.renderer)
        self._lights()
        self._furniture()
        self._aim(camera)
        self.moving: dict[str, vtk.vtkActor] = {}

    def _lights(self) -> None:
        self.renderer.RemoveAllLights()
        self.renderer.AutomaticLightCreationOff()
        strength = self.look.get("light", [100])[0] / 100
        for position, level in (((2.5, -3, 4), 0.75), ((-4, -2, 3), 0.35), ((1, 4, 3.5), 0.25), ((5, 1, 1.5), 0.3)):
            light = vtk.vtkLight()
            light.SetPosition(*position)
            light.SetFocalPoint(0, 0, 0.8)
            light.SetIntensity(level * strength)
            self.renderer.AddLight(light)

    def _aim(self, camera: Pinhole) -> None:
        c = self.renderer.GetActiveCamera()
        c.SetPosition(*camera.position)
        c.SetFocalPoint(*camera.aim_m)
        c.SetViewUp(*(-camera.axes()[1]))
        c.SetViewAngle(2 * np.degrees(np.arctan(camera.size[1] / 2 / camera.focal_px)))
        c.SetClippingRange(0.3, 30)

    def _actor(
        self, source: vtk.vtkAlgorithm, rgb: list[int] | None = None, tex: vtk.vtkTexture | None = None, matte: bool = True
    ) -> vtk.vtkActor:
        mapper = vtk.vtkPolyDataMapper()
        mapper.SetInputConnection(source.GetOutputPort())
        actor = vtk.vtkActor()
        actor.SetMapper(mapper)
        p = actor.GetProperty()
        p.SetAmbient(0.32)
        p.SetDiffuse(0.75)
        p.SetSpecular(0.0 if matte else 0.3)
        if rgb is not None:
            p.SetColor(*(v / 255 for v in rgb))
        if tex is not None:
            actor.SetTexture(tex)
        self.renderer.AddActor(actor)
        return actor

    def plane(self, origin: Array, u: Array, v: Array, tex: vtk.vtkTexture) -> None:
        s = vtk.vtkPlaneSource()
        s.SetOrigin(*origin)
        s.SetPoint1(*(origin + u))
        s.SetPoint2(*(origin + v))
        self._actor(s, tex=tex)

    def box(self, centre: tuple[float, float, float], size: tuple[float, float, float], rgb: list[int]) -> None:
        s = vtk.vtkCubeSource()
        s.SetCenter(*centre)
        s.SetXLength(size[0])
        s.SetYLength(size[1])
        s.SetZLength(size[2])
        self._actor(s, rgb)

    def _furniture(self) -> None:
        """Two walls behind the subject as this camera sees it, hooks with life jackets, a plinth of known height."""
        look, ax = self.look, self.camera.axes()
        away = np.array([ax[2][0], ax[2][1], 0])
        away /= np.linalg.norm(away)
        right = np.array([-away[1], away[0], 0]) * -1
        self.plane(np.array([-6.0, -6.0, -0.002]), np.array([12.0, 0, 0]), np.array([0, 12.0, 0]), texture(rubber(self.rng, look["floor"])))
        back = away * 2.2
        wall = texture(boards(self.rng, look["wall_low"], look["wall_high"]))
        if self.mirror:  # an opening, behind which the caller shows everything once more
            for left, breadth, low, high in ((-5, 3.6, 0, 3.4), (1.4, 3.6, 0, 3.4), (-1.4, 2.8, 0, 0.25), (-1.4, 2.8, 2.1, 1.3)):
                self.plane(back - away * 0.6 + right * left + np.array([0, 0, low]), right * breadth, np.array([0, 0, high]), wall)
            self.plane(away * 5.5 - right * 6, right * 12, np.array([0, 0, 3.4]), wall)
        else:
            self.plane(back - right * 5, right * 10, np.array([0, 0, 3.4]), wall)
        if self.bright_window:
            pane = self._oriented_box(back - away * 0.1 - right * 0.4 + np.array([0, 0, 1.7]), right, (1.6, 0.04, 1.3), [255, 255, 250])
            pane.GetProperty().SetAmbient(1.0)
        for i, shift in enumerate((-2.6, -2.05, -1.5, 1.35, 1.9)):
            c = back - away * 0.12 + right * shift
            self._oriented_box(c + np.array([0, 0, 1.62]), right, (0.36, 0.14, 0.52), look["jackets"] if i % 2 else look["jackets_b"])
            self._oriented_box(c + np.array([0, 0, 1.62]) - away * 0.075, right, (0.37, 0.01, 0.05), [225, 222, 205])
        self._oriented_box(back - away * 0.35 + right * 2.6 + np.array([0, 0, 0.45]), right, (0.9, 0.45, 0.9), look["locker"])
        self._oriented_box(back - away * 0.2 - right * 3.3 + np.array([0, 0, 1.0]), right, (0.12, 0.12, 2.0), look["post"])
        self._oriented_box(back - away * 0.2 - right * 1.0 + np.array([0, 0, 0.22]), right, (1.2, 0.32, 0.44), look["bench"])
        self.plinth_base = right * self.plinth_m
        self._oriented_box(self.plinth_base + np.array([0, 0, 0.30]), right, (0.34, 0.3, 0.60), [176, 138, 92])

    def _oriented_box(self, centre: Array, right: Array, size: tuple[float, float, float], rgb: list[int]) -> vtk.vtkActor:
        s = vtk.vtkCubeSource()
        s.SetXLength(size[0])
        s.SetYLength(size[1])
        s.SetZLength(size[2])
        actor = self._actor(s, rgb)
        actor.RotateZ(float(np.degrees(np.arctan2(right[1], right[0]))))
        actor.SetPosition(*centre)
        return actor

    def prop(self, spec: dict[str, Any]) -> vtk.vtkActor:
        """A plain box or roller of a machine: at (forward, left, up) m, size (forward, left, up) m, pitch (degrees), colour."""
        size = spec["size"]
        if spec.get("round"):
            s = vtk.vtkCylinderSource()
            s.SetRadius(size[0] / 2)
            s.SetHeight(size[1])
            s.SetResolution(40)
        else:
            s = vtk.vtkCubeSource()
            s.SetXLength(size[1])
            s.SetYLength(size[0])
            s.SetZLength(size[2])
        actor = self._actor(s, spec["colour"])
        if spec.get("round"):
            actor.RotateZ(90)
        actor.RotateX(spec.get("pitch", 0.0))
        self.move_prop(actor, spec, np.zeros(3))
        return actor

    @staticmethod
    def move_prop(actor: vtk.vtkActor, spec: dict[str, Any], base: Array) -> None:
        """Put a prop at its place relative to `base` (world, m)."""
        f, left, up = spec["at"]
        actor.SetPosition(left, base[1] - f, base[2] + up)

    def aim(self, camera: Pinhole) -> None:
        """Look through another camera (a phone held by hand)."""
        self._aim(camera)

    def set_body(self, vertices: Array, normals: Array, faces: NDArray[np.int64], colours: NDArray[np.uint8]) -> None:
        """Show the body in a new posture; its surface normals come with it, which spares working them out anew."""
        if "body" not in self.moving:
            poly = vtk.vtkPolyData()
            cells = vtk.vtkCellArray()
            flat = np.c_[np.full(len(faces), 3), faces].astype(np.int64).ravel()
            cells.SetCells(len(faces), numpy_to_vtkIdTypeArray(flat, deep=True))
            poly.SetPoints(vtk.vtkPoints())
            poly.SetPolys(cells)
            rgb = numpy_to_vtk(colours, deep=True)
            poly.GetPointData().SetScalars(rgb)
            self.poly = poly
            source = vtk.vtkTrivialProducer()
            source.SetOutput(poly)
            self.moving["body"] = self._actor(source)
            self.moving["body"].GetProperty().SetSpecular(0.06)
        self.poly.GetPoints().SetData(numpy_to_vtk(np.ascontiguousarray(vertices), deep=True))
        self.poly.GetPointData().SetNormals(numpy_to_vtk(np.ascontiguousarray(normals), deep=True))
        self.poly.Modified()

    def set_shadow(self, centres: list[Array]) -> None:
        for i, c in enumerate(centres):
            key = f"shadow{i}"
            if key not in self.moving:
                s = vtk.vtkDiskSource()
                s.SetInnerRadius(0)
                s.SetOuterRadius(0.2)
                s.SetCircumferentialResolution(40)
                self.moving[key] = self._actor(s, [10, 12, 14])
                self.moving[key].GetProperty().SetOpacity(0.35)
            self.moving[key].SetPosition(c[0], c[1], 0.002)

    def set_bar(self, centre: Array, plate_m: float = 0.14) -> None:
        """Bar of 2.0 m with one iron plate of radius `plate_m` and a smaller one at each end."""
        if "bar" not in self.moving:
            parts = [(0.0, 0.014, 2.0, [190, 190, 186])]
            for sign in (1, -1):
                parts += [
                    (sign * 0.68, plate_m, 0.04, [52, 54, 60]),
                    (sign * 0.725, 0.10, 0.03, [38, 88, 104]),
                    (sign * 0.68, 0.05, 0.07, [150, 152, 150]),
                ]
            assembly = vtk.vtkAssembly()
            for x, radius, length, rgb in parts:
                s = vtk.vtkCylinderSource()
                s.SetRadius(radius)
                s.SetHeight(length)
                s.SetResolution(48)
                actor = self._actor(s, rgb, matte=False)
                self.renderer.RemoveActor(actor)
                actor.RotateZ(90)
                actor.SetPosition(x, 0, 0)
                assembly.AddPart(actor)
            self.renderer.AddActor(assembly)
            self.moving["bar"] = assembly
        self.moving["bar"].SetPosition(*centre)

    def picture(self) -> NDArray[np.uint8]:
        """The current frame (H, W, 3) uint8."""
        self.window.Render()
        grab = vtk.vtkWindowToImageFilter()
        grab.SetInput(self.window)
        grab.ReadFrontBufferOff()
        grab.ShouldRerenderOff()
        grab.Update()
        out = grab.GetOutput()
        width, height = self.camera.size
        rgb = vtk_to_numpy(out.GetPointData().GetScalars()).reshape(height, width, -1)
        return np.ascontiguousarray(rgb[::-1, :, :3])
